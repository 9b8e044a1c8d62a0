import { TestBed } from '@angular/core/testing';
import { provideState } from '@ngrx/store';
import { NEVER, Subject, of, throwError } from 'rxjs';
import type { Batch, LogEntry, SavePlan, Search } from '@nest-mark/core';
import type { SignalView } from '@nest-mark/core/api';
import type { Api } from '../src/app/api/api';
import type { SignalApi } from '../src/app/api/signal-api';
import type { ServerEvents } from '../src/app/api/server-events';
import { BootActions } from '../src/app/boot/boot.reducer';
import * as bootEffects from '../src/app/boot/boot.effects';
import { CardsActions } from '../src/app/cards/cards.reducer';
import * as cardsEffects from '../src/app/cards/cards.effects';
import * as logEffects from '../src/app/log/log.effects';
import { LogActions, logFeature } from '../src/app/log/log.reducer';
import * as signalEffects from '../src/app/signal/signal.effects';
import { SignalActions, signalFeature } from '../src/app/signal/signal.reducer';
import { noticeGone, saveAgain } from '../src/app/state/away.effects';
import { BatchActions } from '../src/app/state/batch.actions';
import * as boardsEffects from '../src/app/state/boards.effects';
import { BoardsActions } from '../src/app/state/boards.reducer';
import * as imagesEffects from '../src/app/state/images.effects';
import { ImagesActions } from '../src/app/state/images.reducer';
import * as networksEffects from '../src/app/state/networks.effects';
import { NetworksActions } from '../src/app/state/networks.reducer';
import * as batchEffects from '../src/app/state/batch.effects';
import { batchFeature } from '../src/app/state/batch.reducer';
import { noticeFeature, NoticeActions } from '../src/app/state/notice';
import { ProgressActions } from '../src/app/state/progress.reducer';
import { bench, failure, problem } from './helpers/store';
import { batchId, tankBatch } from './helpers/plan';
import { noProgress } from './helpers/progress';

const batch = tankBatch(2);
const edit = (site: string) => BatchActions.edited({ plan: { ...batch.plan, site }, field: 'site' });

/** An interface of the server of which a test gives the calls it is about. */
const api = (calls: Partial<Api>): Api => calls as Api;

describe('saving while somebody types', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  /** The effects of saving, wired to a server that answers when the test says so. */
  function wired() {
    const sent: { version: number; body: SavePlan; answer: Subject<Batch> }[] = [];
    const { store, act, actions } = bench(batch);
    const server = api({
      saveBatch: (_id, version, body) => {
        const answer = new Subject<Batch>();
        sent.push({ version, body, answer });
        return answer;
      },
      batch: () => of({ ...batch, version: 9, plan: { ...batch.plan, site: 'Theirs' } }),
    });
    batchEffects.saveSoon(actions).subscribe(act);
    batchEffects.save(actions, server, store).subscribe(act);
    batchEffects.settleConflict(actions, server, store).subscribe(act);
    const state = store.selectSignal(batchFeature.selectBatchState);
    const answer = (index: number): void => {
      const { version, body, answer: subject } = sent[index]!;
      subject.next({ ...batch, version: version + 1, plan: body.plan });
      subject.complete();
    };
    return { act, sent, answer, state };
  }

  it('waits for a pause, and then sends the whole of it once', () => {
    const { act, sent, answer, state } = wired();
    for (const site of ['M', 'Ma', 'Mar', 'Mars', 'Marsh']) {
      act(edit(site));
      jest.advanceTimersByTime(200);
    }
    expect(sent).toHaveLength(0);
    jest.advanceTimersByTime(500);
    expect(sent.map(({ version, body }) => [version, body.plan.site])).toEqual([[1, 'Marsh']]);
    expect(state().save).toBe('saving');
    answer(0);
    expect([state().save, state().stored?.version]).toEqual(['saved', 2]);
  });

  it('sends the next one only after the first was answered, with the version that came back', () => {
    const { act, sent, answer, state } = wired();
    act(edit('First'));
    jest.advanceTimersByTime(600);
    act(edit('Second'));
    jest.advanceTimersByTime(600);
    expect(sent).toHaveLength(1);
    answer(0);
    expect(sent.map(({ version, body }) => [version, body.plan.site])).toEqual([
      [1, 'First'],
      [2, 'Second'],
    ]);
    answer(1);
    expect(state().save).toBe('saved');
  });

  it('sends a typed secret once and not again with the next edit', () => {
    const { act, sent, answer } = wired();
    act(BatchActions.secretTyped({ kind: 'userPassword', value: 'low tide at seven' }));
    jest.advanceTimersByTime(600);
    answer(0);
    act(edit('Marsh'));
    jest.advanceTimersByTime(600);
    expect(sent.map(({ body }) => body.secrets)).toEqual([{ userPassword: 'low tide at seven' }, {}]);
  });

  it('stops sending after a conflict until a person has decided, and then saves mine over theirs', () => {
    const { act, sent, answer, state } = wired();
    act(edit('Mine'));
    jest.advanceTimersByTime(600);
    sent[0]!.answer.error(failure('plan-changed'));
    expect(state().save).toBe('conflict');
    act(edit('Mine still'));
    jest.advanceTimersByTime(600);
    expect(sent).toHaveLength(1);
    act(BatchActions.mineKept());
    expect(sent.map(({ version, body }) => [version, body.plan.site]).at(-1)).toEqual([9, 'Mine still']);
    answer(1);
    expect([state().save, state().plan?.site]).toEqual(['saved', 'Mine still']);
  });

  it('shows theirs when mine is dropped', () => {
    const { act, sent, state } = wired();
    act(edit('Mine'));
    jest.advanceTimersByTime(600);
    sent[0]!.answer.error(failure('plan-changed'));
    act(BatchActions.theirsTaken());
    expect([state().save, state().plan?.site, state().stored?.version]).toEqual(['saved', 'Theirs', 9]);
  });

  it('keeps what was typed when the server is away, and sends it when asked again', () => {
    const { act, sent, answer, state } = wired();
    act(edit('Marsh'));
    jest.advanceTimersByTime(600);
    sent[0]!.answer.error(failure('unreachable'));
    expect([state().save, state().plan?.site, state().problem?.code]).toEqual([
      'failed',
      'Marsh',
      'unreachable',
    ]);
    act(BatchActions.saveDue());
    answer(1);
    expect(state().save).toBe('saved');
  });
});

describe('after the server or its database was away', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  /** The effects of saving and of coming back, with a server that answers as told. */
  function wired(answers: (() => ReturnType<Api['saveBatch']>)[], theirs: Batch = batch) {
    const connected = new Subject<void>();
    const events = { connected } as unknown as ServerEvents;
    const { store, act, actions } = bench(batch);
    const saveBatch = jest.fn((_id: string, version: number, { plan }: SavePlan) => {
      const answer = answers.shift();
      return answer ? answer() : of({ ...batch, version: version + 1, plan });
    });
    const server = api({ saveBatch, batch: () => of(theirs) });
    batchEffects.saveSoon(actions).subscribe(act);
    batchEffects.save(actions, server, store).subscribe(act);
    saveAgain(actions, events, store).subscribe(act);
    noticeGone(events, store).subscribe(act);
    return {
      act,
      connected,
      saveBatch,
      state: store.selectSignal(batchFeature.selectBatchState),
      notice: store.selectSignal(noticeFeature.selectNotice),
    };
  }
  const fails = (code: string) => () => throwError(() => failure(code));

  it('saves what was typed by itself as soon as the connection is there again', () => {
    const { act, connected, saveBatch, state } = wired([fails('unreachable')]);
    act(edit('Marsh'));
    jest.advanceTimersByTime(600);
    expect(state().save).toBe('failed');
    connected.next();
    expect([state().save, state().stored?.plan.site, saveBatch.mock.calls.length]).toEqual([
      'saved',
      'Marsh',
      2,
    ]);
  });

  it('tries again now and then while only the database is away', () => {
    const { act, state } = wired([fails('database-away'), fails('database-away')]);
    act(edit('Marsh'));
    jest.advanceTimersByTime(600);
    expect(state().save).toBe('failed');
    jest.advanceTimersByTime(10_000);
    expect([state().save, state().stored?.plan.site]).toEqual(['saved', 'Marsh']);
  });

  it('the list of batches and a batch are read again by themselves once the server is back', () => {
    const { store, act, actions } = bench(null);
    const answers: string[] = ['unreachable', 'database-away', ''];
    const answer = <T>(value: T) => {
      const code = answers.shift();
      return code ? throwError(() => failure(code)) : of(value);
    };
    const batches = jest.fn(() => answer([]));
    const opened = jest.fn(() => answer(batch));
    const connection = { connected: new Subject(), events: new Subject() } as unknown as ServerEvents;
    const server = api({ batches, batch: opened });
    batchEffects.loadList(actions, server, connection).subscribe(act);
    batchEffects.open(actions, server).subscribe(act);
    const state = store.selectSignal(batchFeature.selectBatchState);
    act(BatchActions.listAsked());
    expect([state().list, batches.mock.calls.length]).toEqual([null, 1]);
    expect(store.selectSignal(noticeFeature.selectNotice)()?.kind).toBe('failed');
    jest.advanceTimersByTime(60_000);
    expect([state().list, batches.mock.calls.length]).toEqual([[], 3]);

    answers.push('database-away', '', 'not-found');
    act(BatchActions.opened({ id: batchId }));
    expect(state().problem?.code).toBe('database-away');
    jest.advanceTimersByTime(60_000);
    expect([state().problem, state().plan?.name, opened.mock.calls.length]).toEqual([
      null,
      batch.plan.name,
      2,
    ]);
    // What is not there does not come by waiting.
    const other = '00000000-0000-4000-8000-0000000000ff';
    act(BatchActions.opened({ id: other }));
    jest.advanceTimersByTime(60_000);
    expect([state().id, state().plan, opened.mock.calls.length]).toEqual([other, null, 3]);
  });

  it('does not try again what was refused for another reason', () => {
    const { act, connected, saveBatch, state } = wired([fails('bad-input')]);
    act(edit('Marsh'));
    jest.advanceTimersByTime(600);
    connected.next();
    jest.advanceTimersByTime(60_000);
    expect([state().save, saveBatch.mock.calls.length]).toEqual(['failed', 1]);
  });

  it('a save whose answer was lost is no conflict with oneself; what somebody else saved is', () => {
    const mine = { ...batch, version: 2, plan: { ...batch.plan, site: 'Marsh' } };
    for (const [theirs, expected] of [
      [mine, 'saved'],
      [{ ...mine, plan: { ...batch.plan, site: 'Theirs' } }, 'conflict'],
    ] as const) {
      const { act, connected, state } = wired([fails('unreachable'), fails('plan-changed')], theirs);
      act(edit('Marsh'));
      jest.advanceTimersByTime(600);
      connected.next();
      expect([expected, state().plan?.site]).toEqual([state().save, 'Marsh']);
      TestBed.resetTestingModule();
    }
  });

  it('takes back that the server does not answer, and nothing else that was told', () => {
    const { act, connected, notice } = wired([]);
    act(NoticeActions.failed({ problem: problem('unreachable') }));
    connected.next();
    expect(notice()).toBeNull();
    act(NoticeActions.failed({ problem: problem('bad-input') }));
    connected.next();
    expect(notice()?.kind).toBe('failed');
  });
});

describe('taking something off a shelf', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  it('asks the server only after the plan’s last edit is there, by which it may be needed', () => {
    const { store, act, actions } = bench(batch);
    const order: string[] = [];
    const saving = new Subject<Batch>();
    const gone = (what: string) => () => {
      order.push(what);
      return of(undefined);
    };
    const server = api({
      saveBatch: () => {
        order.push('plan');
        return saving;
      },
      removeBoard: gone('board'),
      removeNetwork: gone('network'),
      removeImage: gone('image'),
    });
    batchEffects.save(actions, server, store).subscribe(act);
    boardsEffects.removeBoard(actions, server, store).subscribe(act);
    networksEffects.removeNetwork(actions, server, store).subscribe(act);
    imagesEffects.removeImage(actions, server, store).subscribe(act);
    act(edit('Marsh'));
    // Here the store's own words do not come back as actions.
    act(BatchActions.saveDue());
    act(BoardsActions.removalWanted({ id: 'own' }));
    act(NetworksActions.removalWanted({ id: 'yard' }));
    act(ImagesActions.removalWanted({ id: 'image' }));
    expect(order).toEqual(['plan']);
    saving.next({ ...batch, version: 2, plan: { ...batch.plan, site: 'Marsh' } });
    saving.complete();
    expect(order).toEqual(['plan', 'board', 'network', 'image']);
    // With nothing to save it is asked at once.
    act(BoardsActions.removalWanted({ id: 'own' }));
    expect(order.at(-1)).toBe('board');
  });
});

describe('arming', () => {
  const request = { cards: [], confirm: 'erase 4', lookedAt: 0 };

  it('starts one round for two presses of the button', () => {
    const { act, actions, store } = bench(batch);
    const answers = new Subject<never>();
    const armRound = jest.fn(() => answers);
    cardsEffects.armRound(actions, api({ armRound }), store).subscribe(act);
    act(CardsActions.roundConfirmed({ request }));
    act(CardsActions.roundConfirmed({ request }));
    expect(armRound).toHaveBeenCalledTimes(1);
    expect(armRound).toHaveBeenCalledWith(batchId, request);
  });

  it('says why a round was refused, and can be tried again', () => {
    const { act, actions, store } = bench(batch);
    const seen: string[] = [];
    const armRound = (): ReturnType<Api['armRound']> => throwError(() => failure('card-changed'));
    cardsEffects.armRound(actions, api({ armRound }), store).subscribe((action) => {
      seen.push(action.type);
      act(action);
    });
    act(CardsActions.roundConfirmed({ request }));
    act(CardsActions.roundConfirmed({ request }));
    expect(seen).toEqual([CardsActions.roundRefused.type, CardsActions.roundRefused.type]);
  });
});

describe('searching', () => {
  const search = (state: Search['state']): Search => ({
    id: '55555555-5555-4555-8555-555555555555',
    batchId,
    station: 'test',
    subnet: '127.1.2.0/24',
    port: 2222,
    state,
    done: 0,
    total: 254,
    message: '',
    at: 0,
  });

  it('asks for the subnet of the plan and no other', () => {
    const network = { subnet: '127.1.2.0/24', port: 2222 };
    const { act, actions, store } = bench({ ...batch, plan: { ...batch.plan, network } });
    const startSearch = jest.fn(() => of(search('queued')));
    bootEffects.search(actions, api({ startSearch }), store).subscribe(act);
    act(BootActions.searchWanted());
    expect(startSearch.mock.calls).toEqual([[batchId, '127.1.2.0/24', 2222]]);
  });

  describe('again and again', () => {
    beforeEach(() => jest.useFakeTimers());
    afterEach(() => jest.useRealTimers());

    const deviceId = batch.plan.devices[0]!.id;
    const progress = (proved: boolean) =>
      ProgressActions.came({
        progress: {
          ...noProgress(batchId),
          devices: [
            {
              deviceId,
              card: { state: 'verified', share: 1, at: 0, message: '' },
              poweredAt: 0,
              handedOverAt: null,
              carrierDoneAt: null,
              bringUp: null,
              fingerprint: null,
              heard: null,
              seen: proved
                ? {
                    standing: 'proved',
                    at: 1,
                    address: '127.1.2.3',
                    port: 2222,
                    hardwareAddress: null,
                    evidence: '',
                    alsoAt: [],
                    told: [],
                  }
                : null,
            },
          ],
        },
      });

    it.each([
      ['while somebody is missing and it was wished', true, false, 1],
      ['not when it was not wished', false, false, 0],
      ['not when all are proved', true, true, 0],
    ])('%s', (_name, wished, proved, times) => {
      const { act, actions, store } = bench(batch);
      const wanted: unknown[] = [];
      bootEffects.repeat(actions, store).subscribe((action) => wanted.push(action));
      act(BootActions.repeatSet({ repeat: wished }));
      act(progress(proved));
      act(ProgressActions.searchCame({ search: search('running') }));
      jest.advanceTimersByTime(60_000);
      expect(wanted).toHaveLength(0);
      act(ProgressActions.searchCame({ search: search('done') }));
      jest.advanceTimersByTime(60_000);
      expect(wanted).toHaveLength(times);
    });

    it('also when boards are powered after it had found all, but not beside one that goes on', () => {
      const { act, actions, store } = bench(batch);
      const wanted: unknown[] = [];
      bootEffects.repeat(actions, store).subscribe((action) => wanted.push(action));
      act(BootActions.repeatSet({ repeat: true }));
      act(progress(true));
      act(ProgressActions.searchCame({ search: search('done') }));
      jest.advanceTimersByTime(60_000);
      expect(wanted).toHaveLength(0);
      act(progress(false));
      act(ProgressActions.poweredNoted({ deviceIds: [deviceId] }));
      act(ProgressActions.poweredNoted({ deviceIds: [deviceId] }));
      jest.advanceTimersByTime(60_000);
      expect(wanted).toHaveLength(1);
      act(ProgressActions.searchCame({ search: { ...search('running'), id: batchId } }));
      act(ProgressActions.poweredNoted({ deviceIds: [deviceId] }));
      jest.advanceTimersByTime(60_000);
      expect(wanted).toHaveLength(1);
    });
  });
});

describe('the log that is narrowed while an answer is on its way', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  const entry = (id: string) => ({
    id,
    at: 0,
    kind: 'k',
    batchId,
    deviceId: null,
    cardSerial: null,
    text: '',
  });

  it('shows what was asked for last, though what was asked before is answered in between', () => {
    const { store, act, actions } = bench(batch, provideState(logFeature));
    const asked: { query: Record<string, string>; answer: Subject<LogEntry[]> }[] = [];
    const server = api({
      log: (query) => {
        const answer = new Subject<LogEntry[]>();
        asked.push({ query, answer });
        return answer;
      },
    });
    const quiet = { connected: NEVER, events: NEVER } as unknown as ServerEvents;
    logEffects.loadNewest(actions, server, quiet, store).subscribe(act);
    act(LogActions.entered());
    act(LogActions.narrowed({ change: { deviceId: 'A' } }));
    asked[0]!.answer.next([entry('3'), entry('2'), entry('1')]);
    expect(store.selectSignal(logFeature.selectEntries)()).toBeNull();
    jest.advanceTimersByTime(300);
    expect(asked.map(({ query }) => query['deviceId'])).toEqual([undefined, 'A']);
    asked[1]!.answer.next([entry('2')]);
    expect(
      store
        .selectSignal(logFeature.selectEntries)()
        ?.map(({ id }) => id),
    ).toEqual(['2']);
  });
});

describe('listening at a place', () => {
  const other = '99999999-9999-4999-8999-999999999999';
  const at = (place: string) => ({ sensor: 'adapter' as const, place, adapter: 'wlan1' });
  const heard = (of: string): SignalView => ({ batchId: of, readings: [] });

  function wired() {
    const asked: { of: string; place: string; answer: Subject<SignalView> }[] = [];
    const { store, act, actions } = bench(batch, provideState(signalFeature));
    const server = {
      listen: (of: string, { place }: { place: string }) => {
        const answer = new Subject<SignalView>();
        asked.push({ of, place, answer });
        return answer;
      },
    } as unknown as SignalApi;
    signalEffects.listen(actions, server, store).subscribe(act);
    const state = store.selectSignal(signalFeature.selectSignalState);
    const answer = (index: number): void => {
      asked[index]!.answer.next(heard(asked[index]!.of));
      asked[index]!.answer.complete();
    };
    act(BatchActions.opened({ id: batchId }));
    return { act, asked, answer, state };
  }

  it('goes on for the batch that is open by then, and what comes for the other one does not show there', () => {
    const { act, asked, answer, state } = wired();
    act(SignalActions.listenWanted({ at: at('Tank hall') }));
    act(BatchActions.opened({ id: other }));
    act(SignalActions.listenWanted({ at: at('Sluice') }));
    expect(asked.map(({ place }) => place)).toEqual(['Tank hall']);
    answer(0);
    expect([state().view, state().listening]).toEqual([null, 'Sluice']);
    expect(asked.map(({ of, place }) => [of, place])).toEqual([
      [batchId, 'Tank hall'],
      [other, 'Sluice'],
    ]);
    answer(1);
    expect([state().view?.batchId, state().listening]).toEqual([other, null]);
  });

  it('that is refused says why, and can be done again', () => {
    const { act, asked, state } = wired();
    act(SignalActions.listenWanted({ at: at('Tank hall') }));
    asked[0]!.answer.error(failure('adapter-busy'));
    expect([state().listening, state().problem?.code]).toEqual([null, 'adapter-busy']);
    act(SignalActions.listenWanted({ at: at('Tank hall') }));
    expect([state().listening, state().problem]).toEqual(['Tank hall', null]);
    expect(asked).toHaveLength(2);
  });
});
