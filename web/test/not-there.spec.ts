import { TestBed } from '@angular/core/testing';
import { provideState, type Action } from '@ngrx/store';
import { providePrimeNG } from 'primeng/config';
import { of, Subject, throwError } from 'rxjs';
import type { CaseView, DrillView, PracticeView } from '@nest-mark/core/api';
import type { Api } from '../src/app/api/api';
import * as bootEffects from '../src/app/boot/boot.effects';
import { BootActions, bootFeature } from '../src/app/boot/boot.reducer';
import { NotThere } from '../src/app/boot/not-there';
import { PracticeActions, practiceFeature } from '../src/app/practice/practice.reducer';
import { ProgressActions } from '../src/app/state/progress.reducer';
import { bench, failure, problem } from './helpers/store';
import { batchId, tankBatch } from './helpers/plan';

const batch = tankBatch(9);
const causes: CaseView['causes'] = [
  { id: 'not-powered', title: 'it has no power', chance: 'probable', mend: 'Plug it in.', place: 'boot' },
  { id: 'hidden', title: 'its name is hidden', chance: 'unlikely', mend: 'Say so.', place: 'networks' },
];
const oneCase = (count: number, change: Partial<CaseView> = {}): CaseView => ({
  devices: batch.plan.devices
    .slice(0, count)
    .map(({ id, hostName, nest }) => ({ deviceId: id, hostName, nest })),
  due: true,
  looked: true,
  shared: '',
  known: ['Nothing was heard of it.'],
  causes,
  next: {
    check: 'power-light',
    question: 'Is its power light on?',
    how: 'Every board has one.',
    minutes: 0.5,
    why: 'It tells whether it has no power.',
  },
  found: null,
  said: [],
  mended: [],
  ...change,
});
const drill: DrillView = {
  batchId,
  minutes: 6.5,
  looks: [{ check: 'power-light', nest: 'A1', saw: 'It is dark.', minutes: 0.5 }],
  inVain: [],
  outcome: 'open',
  cause: null,
  nest: null,
  way: null,
};

async function panel(cases: CaseView[], hidden: DrillView | null = null) {
  const { store, act } = bench(batch, providePrimeNG(), provideState(practiceFeature));
  act(BootActions.casesCame({ cases }));
  if (hidden) act(PracticeActions.viewCame({ view: { drill: hidden } as PracticeView }));
  const sent: Action[] = [];
  jest.spyOn(store, 'dispatch').mockImplementation(((action: Action) => sent.push(action)) as never);
  const fixture = TestBed.createComponent(NotThere);
  await fixture.whenStable();
  sent.length = 0;
  const root = fixture.nativeElement as HTMLElement;
  return {
    sent,
    text: () => root.textContent.replace(/\s+/g, ' ').trim(),
    press: async (name: string): Promise<void> => {
      const button = [...root.querySelectorAll('button')].find(
        ({ textContent }) => textContent.trim() === name,
      );
      button!.click();
      await fixture.whenStable();
    },
  };
}

const ids = (count: number): string[] => batch.plan.devices.slice(0, count).map(({ id }) => id);

describe('why a board is not there', () => {
  it('asks one thing, and sends the answer with the boards that it is about', async () => {
    const { sent, text, press } = await panel([oneCase(1)]);
    expect(text()).toContain('tank-01 (A1) does not appear');
    expect(text()).toContain('Is its power light on?');
    expect(text()).toContain('Takes less than a minute. It tells whether it has no power.');
    expect(text()).not.toContain('Practice: look');
    await press('Cannot say');
    expect(sent).toEqual([
      BootActions.caseAnswered({ deviceIds: ids(1), check: 'power-light', answer: 'unsure' }),
    ]);
  });

  it('tells many boards by their nests, and no more than fit', async () => {
    const { text } = await panel([oneCase(9, { shared: 'They share the network.' })]);
    expect(text()).toContain('9 boards do not appear: A1, A2, A3, A4, B1, B2 and 3 more');
    expect(text()).toContain('They share the network.');
  });

  it('asks nothing about boards within their usual time until a person wants it', async () => {
    const { text, press } = await panel([oneCase(1, { due: false })]);
    expect(text()).not.toContain('does not appear');
    await press('Ask all the same');
    expect(text()).toContain('tank-01 (A1) does not appear');
  });

  it('says first that nobody has looked', async () => {
    const { text } = await panel([oneCase(1, { looked: false })]);
    expect(text()).toContain('Nobody has looked since power-on.');
  });

  it('tells the cause, how to mend it and where; what was mended waits, or did not help', async () => {
    const found = await panel([oneCase(2, { found: 'hidden', next: null })]);
    expect(found.text()).toContain('It is probably this: its name is hidden. Say so.');
    expect(found.text()).toContain('Go to the shelf of networks');
    await found.press('It was not that');
    await found.press('I have mended it');
    expect(found.sent).toEqual([
      BootActions.caseMended({ deviceIds: ids(2), cause: 'hidden', inVain: true }),
      BootActions.caseMended({ deviceIds: ids(2), cause: 'hidden', inVain: false }),
    ]);
    TestBed.resetTestingModule();
    const mended = { cause: 'hidden' as const, title: 'its name is hidden', inVain: false, by: 'x', at: 0 };
    const waiting = await panel([oneCase(1, { mended: [mended] })]);
    expect(waiting.text()).toMatch(/Mended at .*, as if its name is hidden\. Power it again/);
    await waiting.press('It did not help');
    expect(waiting.sent).toEqual([
      BootActions.caseMended({ deviceIds: ids(1), cause: 'hidden', inVain: true }),
    ]);
  });

  it('a person may take something else for the cause, and think again', async () => {
    const { text, press } = await panel([oneCase(1)]);
    await press('its name is hidden');
    expect(text()).toContain('You take it for this: its name is hidden.');
    await press('Ask on');
    expect(text()).toContain('Is its power light on?');
  });

  it('where nothing would tell more, says so', async () => {
    const { text } = await panel([oneCase(1, { next: null })]);
    expect(text()).toContain('Nothing that could be asked would tell more.');
  });

  it('shows what was answered and takes it back', async () => {
    const said = {
      check: 'power-light' as const,
      question: 'Lit?',
      answer: 'unsure' as const,
      by: 'x',
      at: 0,
    };
    const { sent, text, press } = await panel([oneCase(1, { said: [said] })]);
    expect(text()).toContain('Lit? cannot say');
    await press('Take it back');
    expect(sent).toEqual([BootActions.caseUnsaid({ deviceIds: ids(1), check: 'power-light' })]);
  });

  it('in a drill shows what eyes see, and mends on the practice bench only', async () => {
    const { sent, text, press } = await panel([oneCase(1)], drill);
    expect(text()).toContain('Drill. A fault is hidden among these boards. 6.5 min since power-on, 1 look.');
    expect(text()).toContain('It is dark.');
    await press('Practice: look');
    await press('it has no power');
    await press('I have mended it');
    expect(sent).toEqual([
      PracticeActions.done({ action: { do: 'look', check: 'power-light', nest: 'A1' } }),
      PracticeActions.done({ action: { do: 'mend', cause: 'not-powered' } }),
    ]);
  });

  it('tells at the end what it was, and what the advice alone would have taken', async () => {
    const over: DrillView = {
      ...drill,
      outcome: 'found',
      cause: 'not-seated',
      nest: 'A3',
      way: ['power-light', 'card-sits'],
    };
    const { sent, text, press } = await panel([], over);
    expect(text()).toContain('Found. A3: its card does not sit right. 6.5 min since power-on, 1 look.');
    expect(text()).toContain('By the advice alone: 2 looks in 2 min.');
    await press('Done');
    expect(sent).toEqual([PracticeActions.done({ action: { do: 'endDrill' } })]);
    TestBed.resetTestingModule();
    const other = await panel([], { ...over, outcome: 'given up', cause: 'elsewhere', way: [], looks: [] });
    expect(other.text()).toContain('Given up. This computer is on another network than the boards.');
    expect(other.text()).toContain('no look at all, what was heard was enough');
  });
});

describe('asking why boards are not there', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  function wired(calls: Partial<Api>) {
    const { store, act, actions } = bench(batch);
    bootEffects.loadCases(actions, calls as Api, store).subscribe(act);
    bootEffects.sayOfCase(actions, calls as Api, store).subscribe(act);
    return { act, state: store.selectSignal(bootFeature.selectBootState) };
  }
  const came = ProgressActions.came({ progress: { batchId, devices: [] } as never });

  it('happens where somebody looks, and then whenever something changes; an old answer never stands over a new one', () => {
    const answers: Subject<{ cases: CaseView[] }>[] = [];
    const { act, state } = wired({
      cases: () => {
        const answer = new Subject<{ cases: CaseView[] }>();
        answers.push(answer);
        return answer;
      },
    });
    act(came);
    expect(answers).toHaveLength(0);
    act(BootActions.casesWanted());
    answers[0]!.next({ cases: [oneCase(2)] });
    for (let times = 0; times < 5; times++) {
      jest.advanceTimersByTime(100);
      act(came);
    }
    jest.advanceTimersByTime(1000);
    expect(answers.length).toBeGreaterThan(1);
    answers.at(-1)!.next({ cases: [] });
    for (const late of answers.slice(0, -1)) late.next({ cases: [oneCase(2)] });
    expect(state().cases).toEqual([]);
    // Who has left the page is asked nothing more, and what comes late does not bring it back.
    act(came);
    const asked = answers.length;
    act(BootActions.casesLeft());
    answers.at(-1)!.next({ cases: [oneCase(2)] });
    for (let times = 0; times < 5; times++) {
      jest.advanceTimersByTime(1000);
      act(came);
    }
    expect(state().cases).toBeNull();
    expect(answers).toHaveLength(asked);
  });

  it('asks anew after each thing that was said, also after one that was refused, which is told', () => {
    let asked = 0;
    let refuse = false;
    const say = () => (refuse ? throwError(() => failure('case-changed')) : of(undefined));
    const { act, state } = wired({
      cases: () => {
        asked++;
        return of({ cases: [] });
      },
      answerCase: say,
      unsayCase: say,
      mendCase: say,
    });
    act(BootActions.casesWanted());
    jest.advanceTimersByTime(1000);
    asked = 0;
    const said = [
      BootActions.caseAnswered({ deviceIds: ids(1), check: 'power-light', answer: 'no' }),
      BootActions.caseUnsaid({ deviceIds: ids(1), check: 'power-light' }),
      BootActions.caseMended({ deviceIds: ids(1), cause: 'hidden', inVain: false }),
    ];
    for (const action of said) {
      act(action);
      jest.advanceTimersByTime(1000);
    }
    expect(asked).toBe(3);
    refuse = true;
    act(said[0]!);
    expect(state().caseProblem).toMatchObject({ code: problem('case-changed').code });
    jest.advanceTimersByTime(1000);
    expect(asked).toBe(4);
  });
});
