import { TestBed } from '@angular/core/testing';
import type { Type } from '@angular/core';
import { Router } from '@angular/router';
import type { Action } from '@ngrx/store';
import { providePrimeNG } from 'primeng/config';
import { of } from 'rxjs';
import { CardsApi } from '../src/app/api/cards-api';
import { AddImage } from '../src/app/images/add-image';
import { Home } from '../src/app/shell/home';
import { BatchActions } from '../src/app/state/batch.actions';
import { ImagesActions } from '../src/app/state/images.reducer';
import { batchId } from './helpers/plan';
import { bench } from './helpers/store';

/** A form, and what it sends to the store. */
async function form(component: Type<unknown>) {
  const { store, act } = bench(null, providePrimeNG(), {
    provide: CardsApi,
    useValue: { uploads: () => of([]) },
  });
  act(BatchActions.listCame({ list: [] }));
  act(ImagesActions.listCame({ list: [] }));
  const sent: Action[] = [];
  jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => sent.push(action)) as never);
  const fixture = TestBed.createComponent(component);
  await fixture.whenStable();
  const root = fixture.nativeElement as HTMLElement;
  sent.length = 0;
  return {
    act,
    sent,
    root,
    stable: () => fixture.whenStable(),
    /** What a person, a script or a scanner that ends with Enter does: nothing is drawn in between. */
    pasteAndEnter: (field: string, text: string) => {
      const input = root.querySelector<HTMLInputElement>(field)!;
      input.value = text;
      input.dispatchEvent(new Event('input', { bubbles: true }));
      // An implicit submission presses the form's first submit button (HTML, section 4.10.22.2).
      root.querySelector<HTMLButtonElement>('button[type="submit"]')!.click();
    },
  };
}

describe('a paste with Enter right after it', () => {
  it('adds an image by its path', async () => {
    const { sent, pasteAndEnter } = await form(AddImage);
    pasteAndEnter('#image-path', '/images/tank.img.xz');
    expect(sent).toEqual([ImagesActions.addWanted({ path: '/images/tank.img.xz', title: '', sha256: '' })]);
  });

  it('makes the first batch', async () => {
    const { sent, pasteAndEnter } = await form(Home);
    pasteAndEnter('#first-batch', 'Tank monitors');
    expect(sent).toEqual([BatchActions.newWanted({ name: 'Tank monitors', begin: 'plan' })]);
  });

  it('makes the first batch, which then leads to what was at hand and not to the list', async () => {
    const { act, root, stable, pasteAndEnter } = await form(Home);
    pasteAndEnter('#first-batch', 'Tank monitors');
    jest.restoreAllMocks();
    const going = jest.spyOn(TestBed.inject(Router), 'navigate').mockResolvedValue(true);
    const made = { id: batchId, name: 'Tank monitors', site: '', devices: 0, updatedAt: 0 };
    act(BatchActions.listCame({ list: [made] }));
    await stable();
    expect(going).not.toHaveBeenCalled();
    expect(root.querySelector('#first-batch')).not.toBeNull();
  });

  it('of nothing says what is missing, and sends nothing', async () => {
    const { sent, root, stable, pasteAndEnter } = await form(AddImage);
    pasteAndEnter('#image-path', '  ');
    await stable();
    expect(sent).toEqual([]);
    expect(root.querySelector('[role="alert"]')!.textContent).toContain(
      'Give the path of a file or its address first',
    );
  });
});
