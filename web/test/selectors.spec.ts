import { emptyNetwork, shippedBoards, type Finding } from '@nest-mark/core';
import { selectDeviceViews, selectFindings } from '../src/app/state/selectors';
import { selectMissing } from '../src/app/boot/found';
import { BoardsActions } from '../src/app/state/boards.reducer';
import { NetworksActions } from '../src/app/state/networks.reducer';
import { tankBatch } from './helpers/plan';
import { bench } from './helpers/store';

const batch = tankBatch(3);
const finding: Finding = {
  rule: 'country',
  severity: 'warns',
  place: 'country',
  message: 'The country is missing.',
  reason: 'The radio stays off.',
  fix: 'Choose it.',
};

describe('findings in the browser', () => {
  const network = {
    ...emptyNetwork('Bench'),
    id: '99999999-9999-4999-8999-999999999999',
    ssid: 'Saltmarsh Bench',
    version: 1,
    secret: { state: 'kept' as const, faults: ['spaces' as const] },
  };
  const joined = {
    ...batch,
    plan: { ...batch.plan, networks: [{ networkId: network.id, priority: 1 }] },
  };
  const rules = (store: ReturnType<typeof bench>['store']): string[] =>
    store
      .selectSignal(selectFindings)()
      .map(({ rule }) => rule);

  it('come from the rules, with what the server judged of a kept key, until another one is typed', () => {
    const { store, act } = bench(joined);
    act(NetworksActions.listCame({ list: [network] }));
    expect(rules(store)).toContain('passphrase-spaces');
    act(NetworksActions.secretTyped({ id: network.id, value: 'low tide at seven' }));
    expect(rules(store)).not.toContain('passphrase-spaces');
    expect(rules(store)).not.toContain('passphrase-form');
    act(NetworksActions.secretTyped({ id: network.id, value: 'short' }));
    expect(rules(store)).toContain('passphrase-form');
  });

  it('follow an edit of a network before it is saved, and a changed board', () => {
    const { store, act } = bench(joined);
    act(NetworksActions.listCame({ list: [network] }));
    act(NetworksActions.edited({ id: network.id, change: { ssid: 'Saltmarsh Bench ' } }));
    expect(rules(store)).toContain('ssid-spaces');
    act(BoardsActions.listCame({ list: [] }));
    expect(rules(store)).toContain('board-known');
  });
});

describe('devices with what is known of them', () => {
  const stop = (deviceId?: string): Finding => ({
    ...finding,
    severity: 'stops',
    ...(deviceId === undefined ? {} : { deviceId }),
  });

  it('are held by their own findings, and all by one that is nobody’s', () => {
    const [first] = batch.plan.devices;
    const held = (stops: Finding[]): boolean[] =>
      selectDeviceViews.projector(batch.plan, stops, null, shippedBoards).map(({ facts }) => facts.stopped);
    expect(held([stop(first!.id)])).toEqual([true, false, false]);
    expect(held([stop()])).toEqual([true, true, true]);
    expect(held([])).toEqual([false, false, false]);
  });

  it('are missing when their card is verified and no proof was had', () => {
    const views = selectDeviceViews.projector(batch.plan, [], null, shippedBoards);
    const card = { state: 'verified' as const, share: 1, at: 0 };
    const with_ = (index: number, standing: 'proved' | 'guess' | null) => {
      const view = views[index]!;
      return { ...view, facts: { ...view.facts, card, seen: standing && { standing, at: 1, alsoAt: [] } } };
    };
    const names = selectMissing
      .projector([views[0]!, with_(1, 'guess'), with_(2, 'proved')])
      .map(({ device }) => device.hostName);
    expect(names).toEqual(['tank-02']);
  });
});
