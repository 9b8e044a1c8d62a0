import { makeHostKey } from '../../src/access/host-key';
import { addDevices } from '../../src/plan/fill-tray';
import { shippedBoards } from '../../src/boards/profiles';
import { emptyPlan, type NetworkFacts, type Plan, type PlanView } from '../../src/plan/model';
import type { KeyVerdict, TriedKey } from '../../src/wifi/key-trial';
import { emptyNetwork } from '../../src/wifi/network';
import { utf8 } from '../../src/bytes';
import { namesFromPattern } from '../../src/plan/names';
import { plainExtras, type FirstBootSettings, type NetworkSettings } from '../../src/firstboot/settings';

export const userKey = makeHostKey(new Uint8Array(32).fill(1), new Uint8Array(4), 'mara@bench').publicLine;
export const networkId = '2f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a11';
export const imageId = '6f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a10';

/** A plan in which no rule finds anything. */
export function soundPlan(count = 12): Plan {
  let turn = 0;
  const draw = {
    random: (below: number) => (turn++ * 13 + Math.floor(turn / 97)) % below,
    id: () => `00000000-0000-4000-8000-${String(++turn).padStart(12, '0')}`,
  };
  const plan: Plan = {
    // Tests change it in place.
    ...structuredClone(emptyPlan('Tank monitors')),
    imageId,
    access: { ...structuredClone(emptyPlan('').access), userName: 'keeper', keys: userKey },
    networks: [{ networkId, priority: 10 }],
    country: 'FO',
    timeZone: 'Atlantic/Faroe',
    network: { subnet: '192.168.40.0/24', port: 22 },
  };
  return addDevices(plan, namesFromPattern('tank-{n:03}', count), 'tank monitor', draw);
}

/** A trial of a key, as it is on record. */
export const trial = (verdict: KeyVerdict, current = true): TriedKey => ({
  verdict,
  current,
  message: '',
  signal: -40,
  at: 1,
  seconds: 2,
  adapter: 'wlan0',
  station: 'bench',
});

/** The network that the sound plan joins. */
export const soundNetwork = (): NetworkFacts => ({
  ...emptyNetwork('Bench'),
  id: networkId,
  ssid: 'Salt Marsh',
  secret: { kind: 'typed', value: 'oysters & tides' },
  tried: trial('right'),
});

export const viewOf = (plan: Plan): PlanView => ({
  plan,
  images: [
    {
      id: imageId,
      title: 'Marsh base',
      method: 'declarative-seed',
      chosenMethod: null,
      own: null,
      bootConfig: 'config.txt',
      system: null,
      rawSize: 120 << 20,
      wordBits: 64,
      flavour: 'minimal',
    },
  ],
  networks: [soundNetwork()],
  boards: shippedBoards,
  password: { kind: 'missing' },
  surroundings: { names: [], workstation: [{ address: '192.168.40.7', prefix: 24 }] },
});

/** A network as a card tells it. */
export const network = (change: Partial<NetworkSettings> = {}): NetworkSettings => ({
  ssid: utf8('Salt Marsh'),
  security: 'wpa2-psk',
  key: 'ab'.repeat(32),
  hidden: false,
  priority: 10,
  ...change,
});

/** Settings of one device, for first-boot methods. */
export const settings = (change: Partial<FirstBootSettings> = {}): FirstBootSettings => ({
  mark: '7KQ4M',
  nest: 'A1',
  deviceId: '00000000-0000-4000-8000-000000000001',
  batchId: '00000000-0000-4000-8000-000000000002',
  batchName: 'Tank monitors',
  hostName: 'tank-01',
  user: {
    name: 'keeper',
    keys: [userKey],
    passwordHash: null,
    passwordLogin: false,
    sudo: 'usual',
    groups: [],
  },
  hostKey: makeHostKey(new Uint8Array(32).fill(2), new Uint8Array(4), '7KQ4M'),
  others: [],
  networks: [network()],
  country: 'FO',
  timeZone: 'Atlantic/Faroe',
  locale: 'en_GB.UTF-8',
  ...plainExtras,
  instanceId: '7KQ4M-1',
  ...change,
});
