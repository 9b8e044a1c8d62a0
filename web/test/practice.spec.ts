import { TestBed } from '@angular/core/testing';
import { By } from '@angular/platform-browser';
import { provideState } from '@ngrx/store';
import { providePrimeNG } from 'primeng/config';
import { Select } from 'primeng/select';
import { noCardFaults, type PracticeView } from '@nest-mark/core';
import { PracticePage } from '../src/app/practice/practice-page';
import { PracticeActions, practiceFeature } from '../src/app/practice/practice.reducer';
import { bench } from './helpers/store';
import { tankBatch } from './helpers/plan';

const card = (
  id: string,
  place: string | null,
  label: string | null = null,
): PracticeView['cards'][number] => ({
  id,
  title: `Card ${id}`,
  size: 16e9,
  faults: noCardFaults,
  place,
  label,
});

const view = (cards: PracticeView['cards']): PracticeView => ({
  cards,
  slots: [
    { id: 'slot-1', title: 'Slot 1', cardId: null },
    { id: 'slot-2', title: 'Slot 2', cardId: '2' },
  ],
  boards: [],
  air: {
    on: true,
    ssid: 'Saltmarsh Bench',
    passphrase: 'low tide at seven',
    country: 'DK',
    bands: ['2.4 GHz'],
  } as PracticeView['air'],
  other: null,
  bootSeconds: 1,
  slotRate: 0,
  serials: true,
  drill: null,
});

describe('a list of cards that is open on the practice bench', () => {
  it('is not drawn anew because another card was written meanwhile, but when a card comes or goes', async () => {
    const { act } = bench(tankBatch(1), providePrimeNG(), provideState(practiceFeature));
    act(PracticeActions.viewCame({ view: view([card('1', null), card('2', 'slot-2')]) }));
    const fixture = TestBed.createComponent(PracticePage);
    await fixture.whenStable();
    const lists = (): unknown[] =>
      fixture.debugElement
        .queryAll(By.directive(Select))
        .map((list) => list.componentInstance as Select)
        // Which faults there are for a drill does not depend on cards.
        .filter(({ inputId }) => inputId !== 'drill-fault')
        .slice(0, 2)
        .map(({ options }) => options);
    const before = lists();
    expect(before).toEqual([[expect.objectContaining({ id: '1' })], [expect.anything(), expect.anything()]]);
    act(PracticeActions.viewCame({ view: view([card('1', null), card('2', 'slot-2', 'tank-01 aa22')]) }));
    await fixture.whenStable();
    for (const [at, list] of lists().entries()) expect(list).toBe(before[at]);
    act(PracticeActions.viewCame({ view: view([card('1', null), card('2', null)]) }));
    await fixture.whenStable();
    expect(lists()[0]).toEqual([expect.objectContaining({ id: '1' }), expect.objectContaining({ id: '2' })]);
  });
});
