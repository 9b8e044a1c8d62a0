import { TestBed } from '@angular/core/testing';
import { Subject } from 'rxjs';
import type { PracticeView, RoundCard } from '@nest-mark/core';
import { Api } from '../src/app/api/api';
import { CardsActions } from '../src/app/cards/cards.reducer';
import type { SlotView } from '../src/app/cards/slots';
import { Layout, viewOf } from '../src/app/shell/layout';
import { OPEN_UP_TO, usualRoom } from '../src/app/shell/rooms';
import { selectPractising, selectTurnFacts } from '../src/app/shell/turn-facts';
import { TurnHands } from '../src/app/shell/turn-hands';
import { YourTurn } from '../src/app/shell/your-turn';
import { BatchActions } from '../src/app/state/batch.actions';
import { selectStops } from '../src/app/state/selectors';
import { batchId, tankBatch } from './helpers/plan';
import { proposedCard, slotView } from './helpers/slots';
import { bench } from './helpers/store';

const batch = tankBatch(4);
const [first] = batch.plan.devices;

const written = (state: RoundCard['state']): RoundCard => ({
  slotId: 'slot-1',
  deviceId: first!.id,
  serial: '',
  cardKey: null,
  state,
  share: 1,
  rate: 0,
  secondsLeft: null,
  message: '',
  at: 0,
  pastCache: null,
});

describe('whose turn it is', () => {
  afterEach(() => {
    localStorage.clear();
    document.title = '';
  });

  it('goes by what each slot holds', () => {
    const whose = { deviceId: 'x', hostName: 'gate-01', mark: 'M', nest: 'B2', batchName: 'Gates' };
    const holds = (slots: SlotView[], blockers: string[] = [], kept: 'saved' | 'saving' = 'saved') =>
      selectTurnFacts.projector(
        [],
        [],
        { cards: [], blockers, waiting: 0, at: 0 },
        slots,
        0,
        [],
        false,
        '',
        false,
        [],
        kept,
      );
    const { slots } = holds([
      slotView({ proposed: proposedCard({ medium: null }) }),
      slotView({ device: first! }),
      slotView({ writing: written('writing'), writingFor: first! }),
      slotView({ ended: written('verified'), endedFor: first! }),
      slotView({ ended: written('failed'), endedFor: first! }),
      slotView({
        proposed: proposedCard({ verifiedFor: whose, refusal: 'It is the verified card of gate-01.' }),
      }),
      slotView({ proposed: proposedCard({ refusal: 'It is too small.' }) }),
      slotView(),
    ]);
    expect(slots?.map(({ holds: what, nest }) => [what, nest])).toEqual([
      ['nothing', ''],
      ['to write', 'A1'],
      ['in work', 'A1'],
      ['verified', 'A1'],
      ['failed', 'A1'],
      ['verified', 'B2'],
      ['unfit', ''],
      ['left out', ''],
    ]);
    // What the server said of a plan that has changed since is no news.
    expect(holds([], ['No image.']).blockers).toEqual(['No image.']);
    expect(holds([], ['No image.'], 'saving').blockers).toEqual([]);
    expect(holds([]).shelf).toBe('empty');
  });

  it('is told by the line, the title and a live region, with a button; the title is the view’s own afterwards', async () => {
    document.title = 'Plan · Nest Mark';
    const { store } = bench(batch);
    const fixture = TestBed.createComponent(YourTurn);
    await fixture.whenStable();
    const root = fixture.nativeElement as HTMLElement;
    const stops = store.selectSignal(selectStops)();
    expect(stops.length).toBeGreaterThan(1);
    const say = `${stops[0]!.message} (first of ${String(stops.length)})`;
    expect(root.querySelector('[aria-live="polite"]')?.textContent).toBe(say);
    expect(document.title).toBe(`${say} · Plan · Nest Mark`);
    expect(root.querySelector('.do')?.textContent).toBe('Go there');
    fixture.destroy();
    expect(document.title).toBe('Plan · Nest Mark');
  });

  it('does it once, however often the button is pressed meanwhile', async () => {
    const seated = new Subject<PracticeView>();
    const practiceAction = jest.fn(() => seated);
    const { act } = bench(batch, { provide: Api, useValue: { practiceAction } });
    act(
      CardsActions.proposalCame({
        proposal: { cards: [proposedCard({ medium: null })], blockers: [], waiting: 4, at: 1 },
      }),
    );
    const hands = TestBed.inject(TurnHands);
    const first = hands.do('put in');
    expect(hands.busy()).toBe(true);
    await hands.do('put in');
    expect(practiceAction).toHaveBeenCalledTimes(1);
    seated.error(new Error('away'));
    await first;
    // What failed can be tried again.
    expect(hands.busy()).toBe(false);
    void hands.do('put in');
    expect(practiceAction).toHaveBeenCalledTimes(2);
  });

  it('offers to be the hands only where stand-ins hold the cards', () => {
    const { store, act } = bench(batch);
    const hands = TestBed.inject(TurnHands);
    const reader = (slotId: string): void =>
      act(
        CardsActions.proposalCame({
          proposal: { cards: [proposedCard({ slotId, medium: null })], blockers: [], waiting: 4, at: 1 },
        }),
      );
    expect(store.selectSignal(selectPractising)()).toBe(false);
    reader('slot-1');
    expect(store.selectSignal(selectPractising)()).toBe(true);
    expect(hands.label('put in', 4)).toBe('Practice: put them in');
    expect(hands.label('power', 1)).toBe('Practice: seat and power it');
    reader('reader-1');
    expect(hands.label('put in', 4)).toBe('Show the reader');
    expect(hands.label('power', 2)).toBe('They are powered');
    // Another batch: nothing of this one is left.
    act(BatchActions.opened({ id: batchId }));
    expect(store.selectSignal(selectPractising)()).toBe(false);
  });
});

describe('the room beside a view’s work', () => {
  afterEach(() => localStorage.clear());

  it('begins as the view needs it', () => {
    const room = (view: string, devices = 12): string => {
      const { tray, column } = usualRoom(view, devices);
      return `${tray}${column ? ', column' : ''}`;
    };
    expect(
      ['plan', 'plan/power', 'cards', 'boot', 'hand-over', 'images', 'log'].map((view) => room(view)),
    ).toEqual(['open, column', 'strip, column', 'open, column', 'open', 'strip', 'away', 'away']);
    expect(room('boot', OPEN_UP_TO + 1)).toBe('strip');
    expect(viewOf('/batch/1/plan/power?x=1#y')).toBe('plan/power');
    expect(viewOf('/')).toBe('');
  });

  it('is what a person chose, for this view; what else stands in the browser’s memory is nothing', () => {
    for (const broken of ['', '[', 'null', '7', '{"":{"tray":"wide","column":1}}', '{"":null}']) {
      localStorage.setItem('nest-mark-rooms', broken);
      TestBed.resetTestingModule();
      bench(batch);
      expect(TestBed.inject(Layout).room()).toEqual({ tray: 'away', column: false });
    }
    const layout = TestBed.inject(Layout);
    const seen = [1, 2, 3].map(() => {
      layout.nextTray();
      return layout.room().tray;
    });
    expect(seen).toEqual(['open', 'strip', 'away']);
    layout.nextTray();
    layout.turnColumn();
    TestBed.resetTestingModule();
    bench(batch);
    expect(TestBed.inject(Layout).room()).toEqual({ tray: 'open', column: true });
  });
});
