import { makeHostKey } from '../../src/access/host-key';
import { addDevices } from '../../src/batch/fill-tray';
import { emptyPlan, type Plan, type PlanView } from '../../src/batch/model';
import { namesFromPattern } from '../../src/batch/names';
import type { FirstBootSettings } from '../../src/firstboot/method';

export const userKey = makeHostKey(new Uint8Array(32).fill(1), new Uint8Array(4), 'mara@bench').publicLine;
const imageId = '6f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a10';

/** A plan in which no rule finds anything. */
export function soundPlan(count = 12): Plan {
  let turn = 0;
  const draw = {
    random: (below: number) => (turn++ * 13 + Math.floor(turn / 97)) % below,
    id: () => `00000000-0000-4000-8000-${String(++turn).padStart(12, '0')}`,
  };
  const plan: Plan = {
    ...emptyPlan('Tank monitors'),
    imageId,
    access: { userName: 'keeper', keys: userKey, passwordLogin: false },
    wifi: { ssid: 'Salt Marsh', hidden: false },
    country: 'FO',
    timeZone: 'Atlantic/Faroe',
    network: { subnet: '192.168.40.0/24', port: 22 },
  };
  return addDevices(plan, namesFromPattern('tank-{n:03}', count), 'tank monitor', draw);
}

export const viewOf = (plan: Plan): PlanView => ({
  plan,
  image: { id: imageId, title: 'Marsh base', method: 'declarative-seed', rawSize: 120 << 20 },
  secrets: { wifiPassphrase: { kind: 'typed', value: 'oysters & tides' }, userPassword: { kind: 'missing' } },
});

/** Settings of one device, for first-boot methods. */
export const settings = (change: Partial<FirstBootSettings> = {}): FirstBootSettings => ({
  mark: '7KQ4M',
  nest: 'A1',
  deviceId: '00000000-0000-4000-8000-000000000001',
  batchId: '00000000-0000-4000-8000-000000000002',
  batchName: 'Tank monitors',
  hostName: 'tank-01',
  user: { name: 'keeper', keys: [userKey], passwordHash: null, passwordLogin: false },
  hostKey: makeHostKey(new Uint8Array(32).fill(2), new Uint8Array(4), '7KQ4M'),
  wifi: { ssid: 'Salt Marsh', key: 'ab'.repeat(32), hidden: false },
  country: 'FO',
  timeZone: 'Atlantic/Faroe',
  locale: 'en_GB.UTF-8',
  instanceId: '7KQ4M-1',
  ...change,
});
