import { TestBed } from '@angular/core/testing';
import type { Actions } from '@ngrx/effects';
import { of, Subject, type Observable } from 'rxjs';
import { emptyNetwork, type SaveNetwork, type ShelvedNetwork } from '@nest-mark/core';
import { Api } from '../src/app/api/api';
import { joinAdded, keepMine, saveNetwork, saveNetworkSoon } from '../src/app/state/networks.effects';
import { bareNetwork, NetworksActions, networksFeature } from '../src/app/state/networks.reducer';
import { BatchActions } from '../src/app/state/batch.actions';
import { batchFeature } from '../src/app/state/batch.reducer';
import { tankBatch } from './helpers/plan';
import { bench, failure } from './helpers/store';

const network = (version: number, change: Partial<ShelvedNetwork> = {}): ShelvedNetwork => ({
  ...emptyNetwork('Bench'),
  id: '99999999-9999-4999-8999-999999999999',
  version,
  secret: { state: 'missing', faults: [] },
  ...change,
});
const { id } = network(1);

/** The real effects on a real store; the server's answers are given by hand. */
function wired() {
  const sent: { version: number; body: SaveNetwork; answer: Subject<ShelvedNetwork> }[] = [];
  const api = {
    saveNetwork: (_id: string, version: number, body: SaveNetwork): Observable<ShelvedNetwork> => {
      const answer = new Subject<ShelvedNetwork>();
      sent.push({ version, body, answer });
      return answer;
    },
    networks: () => of([network(9, { ssid: 'Theirs' })]),
  };
  const { store, act, actions } = bench(tankBatch(1), { provide: Api, useValue: api });
  TestBed.runInInjectionContext(() => {
    for (const effect of [saveNetworkSoon, saveNetwork, keepMine, joinAdded])
      (effect as (actions: Actions) => Observable<Parameters<typeof act>[0]>)(actions).subscribe(act);
  });
  act(NetworksActions.listCame({ list: [network(1)] }));
  const state = () => store.selectSignal(networksFeature.selectNetworksState)();
  const list = () => store.selectSignal(networksFeature.selectList)();
  return { store, act, sent, state, list };
}

describe('editing a network', () => {
  beforeEach(() => jest.useFakeTimers());
  afterEach(() => jest.useRealTimers());

  it('is saved once after a pause, with the version that was read, and is then clean', () => {
    const { act, sent, state, list } = wired();
    act(NetworksActions.edited({ id, change: { ssid: 'S' } }));
    act(NetworksActions.edited({ id, change: { ssid: 'Salt' } }));
    jest.advanceTimersByTime(600);
    expect(sent).toMatchObject([{ version: 1, body: { network: { ssid: 'Salt' } } }]);
    expect(sent[0]!.body.secret).toBeUndefined();
    sent[0]!.answer.next(network(2, { ssid: 'Salt' }));
    expect([state().edits, list()?.[0]?.version]).toEqual([{}, 2]);
  });

  it('keeps what was typed while the answer was on its way, and sends a key only once', () => {
    const { act, sent, state } = wired();
    act(NetworksActions.secretTyped({ id, value: 'low tide at seven' }));
    jest.advanceTimersByTime(600);
    act(NetworksActions.edited({ id, change: { ssid: 'Salt' } }));
    sent[0]!.answer.next(network(2, { secret: { state: 'kept', faults: [] } }));
    sent[0]!.answer.complete();
    expect(state().edits[id]).toMatchObject({
      network: { ssid: 'Salt' },
      secret: undefined,
      save: 'changed',
    });
    jest.advanceTimersByTime(600);
    expect(sent.map(({ version, body }) => [version, body.secret, body.network.ssid])).toEqual([
      [1, 'low tide at seven', ''],
      [2, undefined, 'Salt'],
    ]);
  });

  it('waits for a person after a conflict, and then saves over the newest version', () => {
    const { act, sent, state } = wired();
    act(NetworksActions.edited({ id, change: { ssid: 'Mine' } }));
    jest.advanceTimersByTime(600);
    sent[0]!.answer.error(failure('network-changed'));
    expect(state().edits[id]?.save).toBe('conflict');
    act(NetworksActions.edited({ id, change: { hidden: true } }));
    jest.advanceTimersByTime(600);
    expect(sent).toHaveLength(1);
    act(NetworksActions.mineKept({ id }));
    expect(sent.map(({ version, body }) => [version, body.network.ssid]).at(-1)).toEqual([9, 'Mine']);
  });

  it('shows theirs when mine is dropped, and never an older version over a newer one', () => {
    const { act, state, list } = wired();
    act(NetworksActions.edited({ id, change: { ssid: 'Mine' } }));
    act(NetworksActions.theirsTaken({ id }));
    expect(state().edits).toEqual({});
    act(NetworksActions.listCame({ list: [network(9, { ssid: 'Theirs' })] }));
    act(NetworksActions.added({ network: network(3, { ssid: 'Late' }), plan: false }));
    expect(list()?.[0]?.ssid).toBe('Theirs');
  });

  it('made from the plan joins the plan, below what is there', () => {
    const { store, act } = wired();
    const plan = store.selectSignal(batchFeature.selectPlan);
    const networks = [{ networkId: '12121212-1212-4212-8212-121212121212', priority: 5 }];
    act(BatchActions.edited({ plan: { ...plan()!, networks }, field: '' }));
    act(NetworksActions.added({ network: network(1), plan: true }));
    expect(plan()?.networks).toEqual([...networks, { networkId: id, priority: -5 }]);
  });

  it('the bare network is what the server takes', () => {
    expect(Object.keys(bareNetwork(network(1))).sort()).toEqual(Object.keys(emptyNetwork('')).sort());
  });
});
