import { provideState } from '@ngrx/store';
import { NEVER, Subject } from 'rxjs';
import type { Image, Round, Search } from '@nest-mark/core';
import type { ServerEvents } from '../src/app/api/server-events';
import { BringUpActions, bringUpFeature } from '../src/app/bring-up/bring-up.reducer';
import * as bringUpEffects from '../src/app/bring-up/bring-up.effects';
import { BootActions, bootFeature } from '../src/app/boot/boot.reducer';
import * as bootEffects from '../src/app/boot/boot.effects';
import { FieldActions, fieldFeature } from '../src/app/field/field.reducer';
import * as fieldEffects from '../src/app/field/field.effects';
import { HandOverActions, handOverFeature } from '../src/app/hand-over/hand-over.reducer';
import * as handOverEffects from '../src/app/hand-over/hand-over.effects';
import { MoveActions, moveFeature } from '../src/app/move/move.reducer';
import * as moveEffects from '../src/app/move/move.effects';
import { PracticeActions, practiceFeature } from '../src/app/practice/practice.reducer';
import * as practiceEffects from '../src/app/practice/practice.effects';
import { SignalActions, signalFeature } from '../src/app/signal/signal.reducer';
import * as signalEffects from '../src/app/signal/signal.effects';
import { BatchActions } from '../src/app/state/batch.actions';
import { imagesFeature, ImagesActions, type ImagesState } from '../src/app/state/images.reducer';
import { progressFeature, ProgressActions } from '../src/app/state/progress.reducer';
import { batchId, tankBatch } from './helpers/plan';
import { noProgress } from './helpers/progress';
import { bench } from './helpers/store';

/** A fast job ends before the answer to the request that started it has come; what ended stays ended. */
describe('an answer that comes after the event of the end', () => {
  const image = (state: Image['state'], message = ''): Image => ({
    id: '33333333-3333-4333-8333-333333333333',
    title: 'Letter',
    state,
    stations: [],
    message,
    addedAt: 1,
    packing: null,
    packedSize: null,
    packedSha256: null,
    rawSize: null,
    rawSha256: null,
    partitions: [],
    method: 'none',
    own: null,
    boot: null,
    detected: 'none',
    methodReason: '',
    about: { wordBits: null, flavour: null, chosenMethod: null, bootPartition: null },
    keptSize: null,
    unpacked: null,
    bootFiles: [],
    seen: [],
    system: null,
    address: null,
    fetched: null,
  });
  const images = imagesFeature.reducer;
  const list = (state: ImagesState) => imagesFeature.selectList.projector(state.shelf);
  const start = images(undefined, ImagesActions.listCame({ list: [] }));

  it('does not put an image back to being read', () => {
    const failed = image('failed', 'It has no partition table.');
    const told = images(start, ImagesActions.oneCame({ image: failed }));
    const answered = images(told, ImagesActions.oneCame({ image: image('checking') }));
    expect(list(answered)).toEqual([failed]);
    expect(list(images(told, ImagesActions.listCame({ list: [image('checking')] })))).toEqual([failed]);
  });

  it('still shows an image that is read, and then its end', () => {
    const reading = images(start, ImagesActions.oneCame({ image: image('checking') }));
    expect(list(reading)?.[0]?.state).toBe('checking');
    expect(list(images(reading, ImagesActions.oneCame({ image: image('ready') })))?.[0]?.state).toBe('ready');
  });

  const search = (state: Search['state']): Search => ({
    id: '44444444-4444-4444-8444-444444444444',
    batchId,
    station: 'test',
    subnet: '127.1.2.0/24',
    port: 2222,
    state,
    done: 0,
    total: 254,
    message: '',
    at: 1,
  });
  const round = (state: Round['state']): Round => ({
    id: '55555555-5555-4555-8555-555555555555',
    batchId,
    number: 1,
    station: 'test',
    begunBy: '',
    paused: false,
    state,
    startedAt: 1,
    endedAt: null,
    cards: [],
  });
  const progress = progressFeature.reducer;
  const empty = progress(
    undefined,
    ProgressActions.came({
      progress: {
        ...noProgress(batchId),
      },
    }),
  );

  it('does not put a search or a round back to the queue', () => {
    const done = progress(
      progress(empty, ProgressActions.searchCame({ search: search('done') })),
      ProgressActions.roundCame({ round: round('done') }),
    );
    const late = progress(
      progress(done, ProgressActions.searchCame({ search: search('queued') })),
      ProgressActions.roundCame({ round: round('running') }),
    );
    expect(late.progress?.search?.state).toBe('done');
    expect(late.progress?.rounds[0]?.state).toBe('done');
  });
});

type Wired = ReturnType<typeof bench>;

/** A view of a feature: how its state is read, and a press on it. */
interface Case {
  name: string;
  feature: Parameters<typeof provideState>[0];
  /** Wires its effects to a server, of which `reads` are what it answers to looking and `press` what to the press. */
  wire: (wired: Wired, server: ServerEvents, reads: () => Subject<never>, press: Subject<never>) => void;
  look: (wired: Wired) => void;
  press: (wired: Wired) => void;
  shown: (wired: Wired) => unknown;
}

/** An answer of the server, which says how new it is. */
const answer = (at: number): never => ({ at, batchId, plan: {}, ways: [], id: 'a move' }) as never;
const some = (calls: object): never => calls as never;

const cases: Case[] = [
  {
    name: 'the practice bench',
    feature: practiceFeature as never,
    wire: ({ act, actions, store }, server, practice, press) => {
      const api = some({ practice, practiceAction: () => press });
      practiceEffects.load(actions, api, server, store).subscribe(act);
      practiceEffects.act(actions, api).subscribe(act);
    },
    look: ({ act }) => act(PracticeActions.entered()),
    press: ({ act }) => act(PracticeActions.done({ action: { do: 'powerAll', on: true } })),
    shown: ({ store }) => store.selectSignal(practiceFeature.selectView)(),
  },
  {
    name: 'bringing up',
    feature: bringUpFeature as never,
    wire: ({ act, actions, store }, server, bringUp, press) => {
      const api = some({ bringUp, startBringUp: () => press });
      bringUpEffects.load(actions, api, server, store).subscribe(act);
      bringUpEffects.start(actions, api, store).subscribe(act);
    },
    look: ({ act }) => act(BringUpActions.lookedAt()),
    press: ({ act }) => act(BringUpActions.startWanted({ deviceIds: ['a'] })),
    shown: ({ store }) => store.selectSignal(bringUpFeature.selectBringUp)(),
  },
  {
    name: 'what is open on the boards',
    feature: handOverFeature as never,
    wire: ({ act, actions, store }, server, exposure, press) => {
      const api = some({ view: () => NEVER, exposure, startExposure: () => press });
      handOverEffects.load(actions, api, server, store).subscribe(act);
      handOverEffects.startExposure(actions, api, store).subscribe(act);
    },
    look: ({ act }) => act(HandOverActions.lookedAt()),
    press: ({ act }) => act(HandOverActions.exposureWanted({ deviceIds: ['a'], way: null })),
    shown: ({ store }) => store.selectSignal(handOverFeature.selectExposure)(),
  },
  {
    name: 'a move',
    feature: moveFeature as never,
    wire: ({ act, actions, store }, server, current, press) => {
      const api = some({ current, start: () => press });
      moveEffects.load(actions, api, server, store).subscribe(act);
      moveEffects.start(actions, api, store).subscribe(act);
    },
    look: ({ act }) => act(MoveActions.lookedAt()),
    press: ({ act }) => act(MoveActions.started({ task: 'move', deviceIds: ['a'], way: 'agent' })),
    shown: ({ store }) => store.selectSignal(moveFeature.selectMove)(),
  },
  {
    name: 'a trip',
    feature: fieldFeature as never,
    wire: ({ act, actions, store }, server, view, press) => {
      const api = some({ view, tick: () => press });
      fieldEffects.load(actions, api, server, store).subscribe(act);
      fieldEffects.tick(actions, api, store).subscribe(act);
    },
    look: ({ act }) => act(FieldActions.lookedAt()),
    press: ({ act }) => act(FieldActions.ticked({ check: some({}), ticked: true })),
    shown: ({ store }) => store.selectSignal(fieldFeature.selectView)(),
  },
  {
    name: 'the signal at places',
    feature: signalFeature as never,
    wire: ({ act, actions, store }, server, view, press) => {
      const api = some({ view, listen: () => press });
      signalEffects.load(actions, api, server, store).subscribe(act);
      signalEffects.listen(actions, api, store).subscribe(act);
    },
    look: ({ act }) => act(SignalActions.lookedAt()),
    press: ({ act }) => act(SignalActions.listenWanted({ at: some({ place: 'Sluice' }) })),
    shown: ({ store }) => store.selectSignal(signalFeature.selectView)(),
  },
];

/** The server keeps an answer before it gives it, and what happens meanwhile is told and read first. */
describe('an answer to a press that comes after what happened since was read', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  it.each(cases)('does not stand over it: $name', ({ feature, wire, look, press, shown }) => {
    const wired = bench(tankBatch(1), provideState(feature as never));
    const tells = new Subject<void>();
    const server = { connected: tells, events: NEVER } as unknown as ServerEvents;
    const reads: Subject<never>[] = [];
    const pressed = new Subject<never>();
    const read = (): Subject<never> => {
      const one = new Subject<never>();
      reads.push(one);
      return one;
    };
    wire(wired, server, read, pressed);
    const come = (at: number): void => {
      reads.at(-1)!.next(answer(at));
      reads.at(-1)!.complete();
    };
    look(wired);
    jest.advanceTimersByTime(1000);
    come(1);
    press(wired);
    tells.next();
    jest.advanceTimersByTime(1000);
    come(3);
    expect(shown(wired)).toMatchObject({ at: 3 });
    pressed.next(answer(2));
    pressed.complete();
    jest.advanceTimersByTime(1000);
    come(3);
    expect(shown(wired)).toMatchObject({ at: 3 });
    // Three looks: at first, told of, and after the answer.
    expect(reads).toHaveLength(3);
  });
});

describe('an answer about the batch that was open before', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  const other = '99999999-9999-4999-8999-999999999999';

  it.each(cases.slice(1))('is dropped: $name', ({ feature, wire, look, shown }) => {
    const wired = bench(tankBatch(1), provideState(feature as never));
    const reads: Subject<never>[] = [];
    const read = (): Subject<never> => {
      const one = new Subject<never>();
      reads.push(one);
      return one;
    };
    wire(wired, { connected: NEVER, events: NEVER } as unknown as ServerEvents, read, new Subject());
    look(wired);
    // Within the pause between two looks: nothing newer was asked for yet.
    jest.advanceTimersByTime(100);
    wired.act(BatchActions.opened({ id: other }));
    reads[0]!.next(answer(1));
    expect(shown(wired) ?? null).toBeNull();
  });

  it('is dropped: why boards do not appear', () => {
    const { act, actions, store } = bench(tankBatch(1));
    const late = new Subject<never>();
    const api = some({ cases: () => late });
    bootEffects.loadCases(actions, api, store).subscribe(act);
    act(BootActions.casesWanted());
    act(BatchActions.opened({ id: other }));
    late.next(some({ cases: [{ about: 'the other' }] }));
    expect(store.selectSignal(bootFeature.selectCases)() ?? null).toBeNull();
    act(BootActions.casesLeft());
  });
});
