import { provideZonelessChangeDetection } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { provideState, provideStore, Store } from '@ngrx/store';
import { FindingsColumn } from '../src/app/shell/findings-column';
import { BatchActions } from '../src/app/state/batch.actions';
import { batchFeature } from '../src/app/state/batch.reducer';
import { boardsFeature } from '../src/app/state/boards.reducer';
import { imagesFeature } from '../src/app/state/images.reducer';
import { networksFeature } from '../src/app/state/networks.reducer';
import { progressFeature } from '../src/app/state/progress.reducer';
import { SelectionActions, selectionFeature } from '../src/app/state/selection';
import { batchId, tankBatch } from './helpers/plan';

describe('the findings column', () => {
  const batch = tankBatch(3);
  const plan = {
    ...batch.plan,
    devices: batch.plan.devices.map((device) => ({ ...device, hostName: 'same' })),
  };

  it('shows what is in the way with its fix, the selection first, and mends at the press of a button', async () => {
    TestBed.configureTestingModule({
      providers: [
        provideZonelessChangeDetection(),
        provideRouter([]),
        provideStore(),
        ...[
          batchFeature,
          boardsFeature,
          imagesFeature,
          networksFeature,
          progressFeature,
          selectionFeature,
        ].map((feature) => provideState(feature as typeof batchFeature)),
      ],
    });
    const store = TestBed.inject(Store);
    store.dispatch(BatchActions.opened({ id: batchId }));
    store.dispatch(BatchActions.came({ batch: { ...batch, plan } }));
    const fixture = TestBed.createComponent(FindingsColumn);
    await fixture.whenStable();
    const element = fixture.nativeElement as HTMLElement;
    const messages = (): string[] =>
      [...element.querySelectorAll('.message')].map((node) => node.textContent.trim());
    expect(messages()).toContain('"same" in nest A2 is the name of nest A1 too.');

    store.dispatch(SelectionActions.set({ ids: [plan.devices[2]!.id] }));
    await fixture.whenStable();
    expect(messages()[0]).toBe('"same" in nest A3 is the name of nest A1 too.');

    element.querySelector<HTMLButtonElement>('li .fix')!.click();
    await fixture.whenStable();
    expect(
      store
        .selectSignal(batchFeature.selectPlan)()
        ?.devices.map(({ hostName }) => hostName),
    ).toEqual(['same', 'same', 'same-2']);
    expect(messages()).not.toContain('"same" in nest A3 is the name of nest A1 too.');
  });
});
