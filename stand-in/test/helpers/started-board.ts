import { chmod, mkdtemp, readdir, rm } from 'node:fs/promises';
import { randomBytes } from 'node:crypto';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
  benchKeyLine,
  emptyPlan,
  makeHostKey,
  type Air,
  type Device,
  type Plan,
  type ShelvedNetwork,
  type SystemFault,
} from '@nest-mark/core';
import { expectedOf, stepsOf, type Expected, type Step } from '@nest-mark/core/bring-up';
import {
  bringUpBoard,
  usualPatience,
  type BoardEnd,
  type BoardWork,
  type StepMemory,
  type StepNote,
} from '@nest-mark/station';
import { OnAir } from '../../src/air/networks';
import { otherNetwork } from '../../src/air/place';
import { RunningBoard } from '../../src/board/board';
import { removeRoot } from '../../src/board/sandbox';
import { blank, type BoardSettings } from '../../src/board/settings';
import { freshLab } from '../../src/state';
import { BoardSystem } from '../../src/system/board-system';

/** A board that has really started in a scratch root, with a login service on loopback, and what is planned of it. */

const draw = (comment: string): ReturnType<typeof makeHostKey> =>
  makeHostKey(randomBytes(32), randomBytes(4), comment);

export const userKey = draw('mara@bench');
export const benchKey = draw('nest-mark-bench');

const networkId = '00000000-0000-4000-8000-0000000000aa';
/** The network of the practice air, as it lies on the shelf. */
const shelved: ShelvedNetwork = {
  id: networkId,
  version: 1,
  title: 'Bench',
  ssid: 'Saltmarsh Bench',
  ssidForm: 'text',
  security: 'wpa2-psk',
  hidden: false,
  secret: { state: 'kept', faults: [] },
} as unknown as ShelvedNetwork;

export interface StartedBoard {
  board: RunningBoard;
  /** Its system's folder. */
  root: string;
  system(): BoardSystem;
  device: Device;
  plan: Plan;
  expected: Expected;
  hostKey: string;
  air: Air;
  other: Air;
  place(): { address: string; port: number; hostKey: string } | null;
  stop(): Promise<void>;
}

export interface BoardWishes {
  settings?: Partial<BoardSettings>;
  plan?: Partial<Plan>;
  sudo?: 'free' | 'ask' | 'none';
  hash?: string | null;
  fault?: SystemFault | null;
  /** Whether its bench key may lend it a port. */
  lends?: boolean;
  /** The boot configuration that its card brings. */
  config?: string;
  /** A second network, which is off otherwise. */
  other?: Partial<Air>;
}

/** @param network first three parts of a loopback network that no other test uses at the same time */
export async function startBoard(network: string, wishes: BoardWishes = {}): Promise<StartedBoard> {
  // As the server has it, whose files are nobody else's.
  const umask = process.umask(0o077);
  const folder = await mkdtemp(join(tmpdir(), 'nest-mark-started-'));
  await chmod(folder, 0o711);
  const { air } = freshLab(network);
  const other = { ...air, on: false, ssid: 'Saltmarsh New', network: otherNetwork(network), ...wishes.other };
  const nets = [new OnAir(() => air), new OnAir(() => other)];
  const mark = '7KQ4M';
  const host = draw(mark);
  const device: Device = {
    id: '00000000-0000-4000-8000-000000000001',
    nest: 'A1',
    mark,
    hostName: 'tank-01',
    role: '',
    notes: '',
    overrides: {},
  };
  const blankPlan = emptyPlan('Tanks');
  const plan: Plan = {
    ...blankPlan,
    access: { ...blankPlan.access, userName: 'keeper', keys: userKey.publicLine },
    timeZone: 'Europe/Copenhagen',
    locale: 'en_GB.UTF-8',
    country: 'DK',
    networks: [{ networkId, priority: 0 }],
    devices: [device],
    ...wishes.plan,
  };
  const settings: BoardSettings = {
    ...blank(),
    hostName: 'tank-01',
    users: [
      {
        name: 'keeper',
        keys: [userKey.publicLine, benchKeyLine(benchKey.publicLine, wishes.lends ?? false)],
        hash: wishes.hash ?? null,
        sudo: wishes.sudo ?? 'free',
      },
    ],
    passwordLogin: plan.access.passwordLogin,
    hostKey: host.privateText,
    files: [
      {
        path: '/etc/nest-mark.json',
        content: JSON.stringify({ mark, nest: 'A1', hostName: 'tank-01', batchId: 'b', deviceId: device.id }),
        open: true,
      },
    ],
    radio: {
      country: 'DK',
      networks: [{ ssid: air.ssid, password: air.passphrase, priority: 0, hidden: false }],
    },
    region: { timeZone: 'Europe/Copenhagen', locale: 'en_GB.UTF-8', keyboard: null },
    ...wishes.settings,
  };
  const root = join(folder, 'root');
  let system: BoardSystem | null = null;
  const board = new RunningBoard(
    '02:00:5e:00:00:01',
    () => Promise.resolve({ ...settings, files: [...settings.files] }),
    () => nets,
    0,
    () => undefined,
    null,
    (taken, ordered) =>
      (system = new BoardSystem(
        root,
        () =>
          Promise.resolve({
            mountedAt: '/boot/firmware',
            files:
              wishes.config === undefined
                ? []
                : [{ path: 'config.txt', content: Buffer.from(wishes.config) }],
            script: null,
            settings: taken,
            cardSize: 16e9,
          }),
        ordered,
      )),
    wishes.fault ?? null,
  );
  return {
    board,
    root,
    system: () => {
      if (!system) throw new Error('the board has not started');
      return system;
    },
    device,
    plan,
    expected: expectedOf(plan, device, [shelved], benchKey.publicLine),
    hostKey: host.publicLine,
    air,
    other,
    place: () =>
      board.view.address === null
        ? null
        : { address: board.view.address, port: air.port, hostKey: host.publicLine },
    stop: async () => {
      process.umask(umask);
      await board.powerOff();
      for (const name of await readdir(folder)) await removeRoot(join(folder, name));
      await rm(folder, { recursive: true, force: true });
    },
  };
}

/** What came of a board, with everything that was written down and told. */
export interface Brought {
  end: BoardEnd;
  /** The last word on each step. */
  steps: Record<string, StepNote>;
  /** Every word on each step, in order. */
  notes: [string, StepNote][];
  output: string;
  /** What its jobs told of how far they are. */
  phases: string[];
}

export interface BringWishes {
  steps?: readonly Step[];
  expected?: Expected;
  login?: Partial<BoardWork['login']>;
  skipped?: ReadonlyMap<string, string>;
  packagePort?: number;
  vpnFile?: string;
  memory?: Map<string, StepMemory>;
  signal?: AbortSignal;
  patience?: Partial<BoardWork['patience']>;
  place?: BoardWork['place'];
  seek?: BoardWork['seek'];
  onNote?: (stepId: string, note: StepNote) => void;
  /** How far a job is; null when it has ended. */
  onJob?: BoardWork['job'];
}

/** Brings it up, with little patience. */
export async function bring(started: StartedBoard, wishes: BringWishes = {}): Promise<Brought> {
  const memory = wishes.memory ?? new Map<string, StepMemory>();
  const notes: [string, StepNote][] = [];
  const phases: string[] = [];
  let output = '';
  const end = await bringUpBoard({
    steps: wishes.steps ?? stepsOf({ ...started.plan.bringUp, without: [] }),
    expected: wishes.expected ?? started.expected,
    login: {
      user: 'keeper',
      key: benchKey.privateText,
      agent: null,
      password: null,
      byPassword: false,
      ...wishes.login,
    },
    benchKey: benchKey.privateText,
    vpnFile: wishes.vpnFile ?? null,
    packagePort: wishes.packagePort ?? null,
    skipped: wishes.skipped ?? new Map(),
    place: wishes.place ?? (() => Promise.resolve(started.place())),
    seek: wishes.seek ?? (() => Promise.resolve()),
    note: (stepId, note) => {
      notes.push([stepId, note]);
      wishes.onNote?.(stepId, note);
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
    job: (progress) => {
      if (progress) phases.push(progress.phase);
      wishes.onJob?.(progress);
    },
    signal: wishes.signal ?? new AbortController().signal,
    patience: { ...usualPatience, away: 60, reboot: 60, wait: 60, quiet: 0, look: 0.1, ...wishes.patience },
  });
  return { end, steps: Object.fromEntries(notes), notes, output, phases };
}
