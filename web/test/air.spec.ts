import { TestBed } from '@angular/core/testing';
import type { Actions } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { Subject, type Observable } from 'rxjs';
import { emptyNetwork, type AirView, type ShelvedNetwork } from '@nest-mark/core';
import { AirApi } from '../src/app/api/air-api';
import { ServerEvents } from '../src/app/api/server-events';
import { loadAir, tryKey } from '../src/app/air/air.effects';
import { AirActions, airFeature } from '../src/app/air/air.reducer';
import { NetworksActions, networksFeature } from '../src/app/state/networks.reducer';
import { bench, problem } from './helpers/store';

const network = (version: number): ShelvedNetwork => ({
  ...emptyNetwork('Bench'),
  id: '99999999-9999-4999-8999-999999999999',
  version,
  secret: { state: 'kept', faults: [] },
});
const { id } = network(1);
const view: AirView = {
  adapters: [{ name: 'wlan0', bands: ['2.4 GHz'], inUse: false, mayTry: '', asks: '' }],
  problem: '',
  look: null,
};

/** The real effects on a real store; the server's answers are given by hand. */
function wired() {
  const asked: Subject<AirView>[] = [];
  const tried: { version: number; answer: Subject<ShelvedNetwork> }[] = [];
  const events = { connected: new Subject<void>(), events: new Subject<{ type: string }>() };
  const api = {
    view: (): Observable<AirView> => {
      const answer = new Subject<AirView>();
      asked.push(answer);
      return answer;
    },
    tryKey: (_id: string, version: number): Observable<ShelvedNetwork> => {
      const answer = new Subject<ShelvedNetwork>();
      tried.push({ version, answer });
      return answer;
    },
  };
  const { store, act, actions } = bench(
    null,
    provideState(airFeature),
    { provide: AirApi, useValue: api },
    { provide: ServerEvents, useValue: events },
  );
  TestBed.runInInjectionContext(() => {
    for (const effect of [loadAir, tryKey])
      (effect as (actions: Actions) => Observable<Parameters<typeof act>[0]>)(actions).subscribe(act);
  });
  act(NetworksActions.listCame({ list: [network(1)] }));
  const state = () => store.selectSignal(airFeature.selectAirState)();
  const wanted = () => act(AirActions.tryWanted({ id, adapter: 'wlan0', agreed: false }));
  return { act, asked, tried, events, state, wanted, store };
}
/** Until what was put off is done. */
const turn = (): Promise<void> => new Promise((done) => setTimeout(done));

describe('the air of a page', () => {
  it('is asked for once, however many editors open at once; later changes are read anew', () => {
    const { act, asked, events, state } = wired();
    for (let editors = 0; editors < 12; editors++) act(AirActions.viewAsked());
    expect(asked).toHaveLength(1);
    // Nobody looks at it yet.
    events.events.next({ type: 'air' });
    expect(asked).toHaveLength(1);
    asked[0]!.next(view);
    asked[0]!.complete();
    expect(state().view).toEqual(view);
    events.events.next({ type: 'air' });
    events.events.next({ type: 'log' });
    expect(asked).toHaveLength(2);
  });
});

describe('a key that is tried in the browser', () => {
  it('is the one that was typed last: it waits until that is saved, and names the version that was', async () => {
    const { act, tried, wanted, state, store } = wired();
    act(NetworksActions.secretTyped({ id, value: 'low tide at seven' }));
    wanted();
    await turn();
    expect([tried, state().trying]).toEqual([[], id]);
    const edit = store.selectSignal(networksFeature.selectEdits)()[id]!;
    act(NetworksActions.saved({ network: network(2), sent: { network: edit.network, secret: edit.secret } }));
    await turn();
    expect(tried.map(({ version }) => version)).toEqual([2]);
    tried[0]!.answer.next(network(2));
    expect(state().trying).toBeNull();
  });

  it('that cannot be saved is not tried; one whose save failed earlier and is begun anew is', async () => {
    const { act, tried, wanted, state } = wired();
    act(NetworksActions.secretTyped({ id, value: 'low tide at seven' }));
    wanted();
    act(NetworksActions.saveFailed({ id, problem: problem('away') }));
    await turn();
    expect([tried, state().trying]).toEqual([[], null]);
    wanted();
    // By then the save that it asks for has begun.
    act(NetworksActions.saveBegun({ id }));
    await turn();
    expect([tried, state().trying]).toEqual([[], id]);
  });
});
