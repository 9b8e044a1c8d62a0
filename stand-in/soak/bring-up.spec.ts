import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import {
  BENCH_KEY_NAME,
  cardFilesOf,
  emptyPlan,
  makeHostKey,
  plainExtras,
  preSharedKey,
  utf8,
  type BaseFiles,
  type Device,
  type FirstBootSettings,
  type Plan,
  type ShelvedNetwork,
} from '@nest-mark/core';
import { expectedOf, stepsOf } from '@nest-mark/core/bring-up';
import {
  bringUpBoard,
  usualPatience,
  type BoardEnd,
  type StepMemory,
  type StepNote,
} from '@nest-mark/station';
import { StartedDebian, type Powered } from './debian';
import { givePackages } from './packages';

/**
 * A whole Debian, of its packages: systemd, cloud-init, OpenSSH, sudo, apt, dpkg. Its card is written, it is started,
 * and brought up over its own login service until it shuts itself down. Needs root and a mirror of Debian's packages.
 */

const draw = (comment: string): ReturnType<typeof makeHostKey> =>
  makeHostKey(randomBytes(32), randomBytes(4), comment);
const userKey = draw('mara@bench');
const benchKey = draw(BENCH_KEY_NAME);
const host = draw('7KQ4M');
const networkId = '00000000-0000-4000-8000-0000000000aa';
const shelved = {
  id: networkId,
  version: 1,
  title: 'Bench',
  ssid: 'Saltmarsh Bench',
  ssidForm: 'text',
  security: 'wpa2-psk',
  hidden: false,
  secret: { state: 'kept', faults: [] },
} as unknown as ShelvedNetwork;

const device: Device = {
  id: '00000000-0000-4000-8000-000000000001',
  nest: 'A1',
  mark: '7KQ4M',
  hostName: 'tank-01',
  role: '',
  notes: '',
  overrides: {},
};
const blank = emptyPlan('Tanks');
const plan: Plan = {
  ...blank,
  access: { ...blank.access, userName: 'keeper', keys: userKey.publicLine },
  extras: { ...blank.extras, sudo: 'free' },
  timeZone: 'Europe/Copenhagen',
  locale: 'en_GB.UTF-8',
  country: 'DK',
  networks: [{ networkId, priority: 0 }],
  devices: [device],
};
const settings: FirstBootSettings = {
  ...plainExtras,
  mark: device.mark,
  nest: device.nest,
  deviceId: device.id,
  batchId: '00000000-0000-4000-8000-0000000000cc',
  batchName: 'Tanks',
  hostName: device.hostName,
  user: {
    name: 'keeper',
    keys: [userKey.publicLine, `restrict ${benchKey.publicLine}`],
    passwordHash: null,
    passwordLogin: false,
    sudo: 'free',
    groups: [],
  },
  hostKey: host,
  others: [],
  networks: [
    {
      ssid: utf8('Saltmarsh Bench'),
      security: 'wpa2-psk',
      key: preSharedKey('Saltmarsh Bench', 'low tide at seven'),
      hidden: false,
      priority: 10,
    },
  ],
  country: 'DK',
  timeZone: 'Europe/Copenhagen',
  locale: 'en_GB.UTF-8',
  wired: null,
  instanceId: '00000000-0000-4000-8000-0000000000dd',
};

/** A Debian whose card says what is planned, with packages that are older than its repository. */
function prepared(): StartedDebian {
  const debian = new StartedDebian();
  debian.write('/var/lib/cloud/seed/.keep', '');
  // There is no interface here that could come up; it would wait two minutes for one.
  debian.mask('systemd-networkd-wait-online.service');
  // It renames a radio's rules where there is none, and fails.
  debian.mask('netplan-regdom.service');
  const base: BaseFiles = {
    texts: new Map([['cmdline.txt', 'quiet\n']]),
    mountedAt: debian.mountedAt,
    system: null,
  };
  debian.putCard(cardFilesOf('declarative-seed', settings, base));
  execFileSync('ln', ['-sfn', debian.mountedAt, `${debian.root}/var/lib/cloud/seed/nocloud`]);
  givePackages(debian);
  return debian;
}

interface Brought {
  end: BoardEnd;
  steps: Record<string, StepNote>;
  output: string;
}

async function bring(powered: Powered, without: readonly string[]): Promise<Brought> {
  const memory = new Map<string, StepMemory>();
  const steps: Record<string, StepNote> = {};
  let output = '';
  const end = await bringUpBoard({
    steps: stepsOf({ without: [...without], own: [] }),
    expected: expectedOf(plan, device, [shelved], benchKey.publicLine),
    login: { user: 'keeper', key: benchKey.privateText, agent: null, password: null, byPassword: false },
    benchKey: benchKey.privateText,
    skipped: new Map(),
    place: () => Promise.resolve({ address: '127.0.0.1', port: powered.port, hostKey: host.publicLine }),
    seek: () => Promise.resolve(),
    note: (stepId, note) => {
      steps[stepId] = note;
      return Promise.resolve();
    },
    recall: (stepId) => Promise.resolve(memory.get(stepId) ?? null),
    remember: (stepId, kept) => {
      memory.set(stepId, kept);
      return Promise.resolve();
    },
    told: (text) => {
      output += text;
    },
    job: () => undefined,
    signal: new AbortController().signal,
    patience: { ...usualPatience, quiet: 1 },
  });
  return { end, steps, output };
}

describe('a Debian that is brought up', () => {
  it('is upgraded from a local repository, rebooted, checked, its bench key taken off, and shut down', async () => {
    const debian = prepared();
    const powered = await debian.power();
    try {
      const { end, steps, output } = await bring(powered, []);
      console.log(JSON.stringify({ end, steps }, null, 1), output);
    } finally {
      powered.close();
      await debian.end();
    }
  }, 900_000);
});
