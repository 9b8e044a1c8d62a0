import { provideState, type Action } from '@ngrx/store';
import { NEVER, Subject, type Observable } from 'rxjs';
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
type Asked = () => Subject<never>;

/** A view of a feature: how its state is read, and a press on it. */
interface Case {
  name: string;
  feature: object;
  /** A server that answers to looking by `read` and to the press by `pressed`. */
  api: (read: Asked, pressed: Asked) => object;
  effects: (wired: Wired, api: never, server: ServerEvents) => Observable<Action>[];
  look: Action;
  press: Action;
  shown: (store: Wired['store']) => unknown;
}

/** An answer of the server, which says how new it is. */
const answer = (at: number): never => ({ at, batchId, plan: {}, ways: [], id: 'a move' }) as never;
const some = (calls: object): never => calls as never;

const cases: Case[] = [
  {
    name: 'the practice bench',
    feature: practiceFeature,
    api: (practice, practiceAction) => ({ practice, practiceAction }),
    effects: ({ actions, store }, api, server) => [
      practiceEffects.load(actions, api, server, store),
      practiceEffects.act(actions, api),
    ],
    look: PracticeActions.entered(),
    press: PracticeActions.done({ action: { do: 'powerAll', on: true } }),
    shown: (store) => store.selectSignal(practiceFeature.selectView)(),
  },
  {
    name: 'bringing up',
    feature: bringUpFeature,
    api: (bringUp, startBringUp) => ({ bringUp, startBringUp }),
    effects: ({ actions, store }, api, server) => [
      bringUpEffects.load(actions, api, server, store),
      bringUpEffects.start(actions, api, store),
    ],
    look: BringUpActions.lookedAt(),
    press: BringUpActions.startWanted({ deviceIds: ['a'] }),
    shown: (store) => store.selectSignal(bringUpFeature.selectBringUp)(),
  },
  {
    name: 'what is open on the boards',
    feature: handOverFeature,
    api: (exposure, startExposure) => ({ view: () => NEVER, exposure, startExposure }),
    effects: ({ actions, store }, api, server) => [
      handOverEffects.load(actions, api, server, store),
      handOverEffects.startExposure(actions, api, store),
    ],
    look: HandOverActions.lookedAt(),
    press: HandOverActions.exposureWanted({ deviceIds: ['a'], way: null }),
    shown: (store) => store.selectSignal(handOverFeature.selectExposure)(),
  },
  {
    name: 'a move',
    feature: moveFeature,
    api: (current, start) => ({ current, start }),
    effects: ({ actions, store }, api, server) => [
      moveEffects.load(actions, api, server, store),
      moveEffects.start(actions, api, store),
    ],
    look: MoveActions.lookedAt(),
    press: MoveActions.started({ task: 'move', deviceIds: ['a'], way: 'agent' }),
    shown: (store) => store.selectSignal(moveFeature.selectMove)(),
  },
  {
    name: 'a trip',
    feature: fieldFeature,
    api: (view, tick) => ({ view, tick }),
    effects: ({ actions, store }, api, server) => [
      fieldEffects.load(actions, api, server, store),
      fieldEffects.tick(actions, api, store),
    ],
    look: FieldActions.lookedAt(),
    press: FieldActions.ticked({ check: some({}), ticked: true }),
    shown: (store) => store.selectSignal(fieldFeature.selectView)(),
  },
  {
    name: 'the signal at places',
    feature: signalFeature,
    api: (view, listen) => ({ view, listen }),
    effects: ({ actions, store }, api, server) => [
      signalEffects.load(actions, api, server, store),
      signalEffects.listen(actions, api, store),
    ],
    look: SignalActions.lookedAt(),
    press: SignalActions.listenWanted({ at: some({ place: 'Sluice' }) }),
    shown: (store) => store.selectSignal(signalFeature.selectView)(),
  },
];

/** A case at work: what was asked of its server by looking, and the answer to its press. */
function at(one: Case, server: ServerEvents) {
  const wired = bench(tankBatch(1), provideState(one.feature as never));
  const reads: Subject<never>[] = [];
  const pressed = new Subject<never>();
  const read = (): Subject<never> => {
    const next = new Subject<never>();
    reads.push(next);
    return next;
  };
  const api = some(one.api(read, () => pressed));
  for (const effect of one.effects(wired, api, server)) effect.subscribe(wired.act);
  return { act: wired.act, reads, pressed, shown: () => one.shown(wired.store) };
}

/** The server keeps an answer before it gives it, and what happens meanwhile is told and read first. */
describe('an answer to a press that comes after what happened since was read', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  it.each(cases)('does not stand over it: $name', (one) => {
    const tells = new Subject<void>();
    const server = { connected: tells, events: NEVER } as unknown as ServerEvents;
    const { act, reads, pressed, shown } = at(one, server);
    const come = (age: number): void => {
      reads.at(-1)!.next(answer(age));
      reads.at(-1)!.complete();
    };
    act(one.look);
    jest.advanceTimersByTime(1000);
    come(1);
    act(one.press);
    tells.next();
    jest.advanceTimersByTime(1000);
    come(3);
    expect(shown()).toMatchObject({ at: 3 });
    pressed.next(answer(2));
    pressed.complete();
    jest.advanceTimersByTime(1000);
    come(3);
    expect(shown()).toMatchObject({ at: 3 });
    // Three looks: at first, told of, and after the answer.
    expect(reads).toHaveLength(3);
  });
});

describe('an answer about the batch that was open before', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  const other = '99999999-9999-4999-8999-999999999999';

  it.each(cases.slice(1))('is dropped: $name', (one) => {
    const quiet = { connected: NEVER, events: NEVER } as unknown as ServerEvents;
    const { act, reads, shown } = at(one, quiet);
    act(one.look);
    // Within the pause between two looks: nothing newer was asked for yet.
    jest.advanceTimersByTime(100);
    act(BatchActions.opened({ id: other }));
    reads[0]!.next(answer(1));
    expect(shown() ?? null).toBeNull();
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
