import fc from 'fast-check';
import {
  cardFilesOf,
  checkCard,
  makeHostKey,
  plainExtras,
  preSharedKey,
  readBootFiles,
  utf8,
  type BaseFiles,
  type FirstBootMethodId,
  type FirstBootSettings,
} from '@nest-mark/core';
import type { Air } from '@nest-mark/core/api';
import { refuseBoard } from '../src/air/access-point';
import { readCard } from '../src/board/read-card';
import { noSandbox } from '../src/board/sandbox';
import type { BoardSettings } from '../src/board/settings';
import { blankDisk, cardOf } from './helpers/boot-disk';
import { amount, type Amount } from '../../core/test/helpers/soak';

/**
 * The check of a card against the stand-in board, which reads the same octets by its own rules or really runs the
 * script: over random plans with random faults, the board joins or refuses as was predicted.
 */

const disk = blankDisk('BOOT');
const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;
const hostKey = makeHostKey(new Uint8Array(32).fill(2), new Uint8Array(4), '7KQ4M');
const base: BaseFiles = {
  texts: new Map([
    ['cmdline.txt', 'root=PARTUUID=4d41524b-02 rootwait quiet\n'],
    [
      'network.txt',
      '# Uncomment one block.\ncountry=US\n#network={\n#  ssid="name"\n#  psk="passphrase"\n#}\n',
    ],
  ]),
  mountedAt: '/boot',
  system: null,
};
const air: Air = {
  on: true,
  ssid: 'Saltmarsh Bench',
  passphrase: 'low tide at seven',
  country: 'DK',
  network: '127.62.9',
  poolStart: 20,
  poolSize: 10,
  port: 2222,
  bands: ['2.4 GHz'],
  hidden: false,
  apart: false,
  elsewhere: false,
  carried: 0,
  clients: null,
  sleepsAfter: null,
};

interface Given {
  ssid: string;
  passphrase: string;
  country: string;
  hidden: boolean;
  password: boolean;
}
const plan: fc.Arbitrary<Given> = fc.record({
  ssid: fc.constantFrom('Saltmarsh Bench', 'Saltmarsh Bench', 'Saltmarsh bench', 'Hall "1" #2', 'Østers 🦪'),
  passphrase: fc.constantFrom('low tide at seven', 'low tide at seven', 'low tide at eight'),
  country: fc.constantFrom('DK', 'DK', 'FO'),
  hidden: fc.boolean(),
  password: fc.boolean(),
});

/** 4096 rounds are done once for each network. */
const keys = new Map<string, string>();
function keyOf(ssid: string, passphrase: string): string {
  const name = `${ssid}\0${passphrase}`;
  const key = keys.get(name) ?? preSharedKey(ssid, passphrase);
  keys.set(name, key);
  return key;
}

const settingsOf = ({ ssid, passphrase, country, hidden, password }: Given): FirstBootSettings => ({
  ...plainExtras,
  mark: '7KQ4M',
  nest: 'A1',
  deviceId: '00000000-0000-4000-8000-000000000001',
  batchId: 'b',
  batchName: 'Tanks',
  hostName: 'tank-01',
  user: {
    name: 'keeper',
    keys: [userKey],
    passwordHash: password ? `$6$reed$${'a'.repeat(86)}` : null,
    passwordLogin: password,
    sudo: 'usual',
    groups: [],
  },
  hostKey,
  others: [],
  networks: [
    {
      ssid: utf8(ssid),
      security: 'wpa2-psk',
      key: keyOf(ssid, passphrase),
      hidden,
      priority: 10,
    },
  ],
  country,
  timeZone: 'Europe/Copenhagen',
  locale: 'C.UTF-8',
  instanceId: '7KQ4M-1',
});

/** What a hand or an editor does to one file; the number chooses file and place. */
const fault = fc.record({
  do: fc.constantFrom('nothing', 'nothing', 'octet', 'cut', 'mark', 'crlf', 'gone', 'comment'),
  file: fc.nat(20),
  at: fc.nat(4000),
  value: fc.nat(255),
});

function spoil(
  files: Map<string, Uint8Array>,
  names: readonly string[],
  what: { do: string; file: number; at: number; value: number },
): string {
  const name = names[what.file % names.length] ?? '';
  const content = files.get(name) ?? new Uint8Array();
  const text = new TextDecoder().decode(content);
  const at = content.length === 0 ? 0 : what.at % content.length;
  if (what.do === 'octet')
    files.set(
      name,
      content.map((value, index) => (index === at ? what.value : value)),
    );
  if (what.do === 'cut') files.set(name, content.subarray(0, at));
  if (what.do === 'mark') files.set(name, utf8(`\uFEFF${text}`));
  if (what.do === 'crlf') files.set(name, utf8(text.replace(/\n/g, '\r\n')));
  if (what.do === 'gone') files.delete(name);
  if (what.do === 'comment') files.set(name, utf8(text.replace(/^/m, '#')));
  return what.do === 'nothing' ? 'nothing' : `${what.do} in ${name}`;
}

/** What somebody at the bench would see of a board. */
const outcome = (board: BoardSettings): string =>
  [
    board.hostName,
    board.loginService ? 'login' : 'no login',
    refuseBoard(air, board) ?? 'joins',
    ...board.users.map(({ name, keys, hash }) => `${name} ${String(keys.length)} ${String(hash !== null)}`),
    String(board.passwordLogin),
  ].join(' | ');

async function compare(method: FirstBootMethodId, much: Amount): Promise<Record<string, number>> {
  const met = { joined: 0, refused: 0, told: 0 };
  await fc.assert(
    fc.asyncProperty(plan, fault, async (drawn, what) => {
      // Marker files carry no keys: without a password nobody could log in, and the check says so.
      const given = method === 'marker-files' ? { ...drawn, password: true } : drawn;
      const files = new Map<string, Uint8Array>();
      for (const [name, text] of base.texts)
        if ((method === 'network-template') === (name === 'network.txt')) files.set(name, utf8(text));
      if (method === 'network-template') files.set('cmdline.txt', utf8('root=x quiet\n'));
      const made = cardFilesOf(method, settingsOf(given), base);
      for (const { path, content } of made) files.set(path, content);
      // Spoilt is what counts: the files of the method, not the label of the card, nor the script's own text.
      const names = made
        .map(({ path }) => path)
        .filter(
          (path) => !/nest-mark\.json|run-once\.sh$|\/mark$|\/locale$|\/time-zone$|host-key/.test(path),
        );
      const done = spoil(files, names, what);
      const card = await cardOf(disk, files);
      const check = checkCard(await readBootFiles(card));
      const stops = check.findings.filter(({ severity }) => severity !== 'note').map(({ id }) => id);
      const board = await readCard(card, { kernel: false }).catch((error: unknown) =>
        error instanceof Error ? error.message : String(error),
      );
      const seen = typeof board === 'string' ? board : outcome(board);
      const told = { method, given, done, seen, stops };
      if (done === 'nothing' && typeof board !== 'string') {
        // Nothing is spoilt: nothing is said, and whether it joins follows from what the check read.
        expect({ ...told, stops: stops.filter((id) => id !== 'network-spaces') }).toEqual({
          ...told,
          stops: [],
        });
        const joins =
          check.settings.networks.some(({ ssid }) => ssid === air.ssid) &&
          check.settings.country === air.country &&
          given.passphrase === air.passphrase;
        expect({ ...told, joins: refuseBoard(air, board) === null }).toEqual({ ...told, joins });
        met[joins ? 'joined' : 'refused']++;
        return;
      }
      if (stops.length > 0) {
        met.told++;
        return;
      }
      // Nothing is said of a spoilt card: then the board is what the check says, name, networks and users.
      if (typeof board === 'string') throw new Error(JSON.stringify(told));
      expect({ ...told, ignored: board.ignored }).toEqual({ ...told, ignored: [] });
      expect({ ...told, name: check.settings.hostName ?? 'board' }).toEqual({
        ...told,
        name: board.hostName,
      });
      expect({ ...told, networks: check.settings.networks.map(({ ssid }) => ssid) }).toEqual({
        ...told,
        networks: board.radio.networks.map(({ ssid }) => ssid),
      });
      expect({ ...told, country: check.settings.country }).toEqual({ ...told, country: board.radio.country });
      expect({ ...told, users: check.settings.users.map(({ name }) => name) }).toEqual({
        ...told,
        users: board.users.map(({ name }) => name),
      });
    }),
    // The same cases each time, unless others are asked for.
    { numRuns: much.runs, seed: much.seed },
  );
  return met;
}

it.each(['marker-files', 'network-template'] as const)(
  'a board with %s does what the check predicted, over random plans with random faults',
  async (method) => {
    const much = amount(`methods-predict ${method}`, 8, 200, 20_261_126);
    const met = await compare(method, much);
    expect(met['told']).toBeGreaterThan(much.runs / 5);
    expect(met['joined']! + met['refused']!).toBeGreaterThan(much.runs / 10);
  },
  3_600_000,
);

(noSandbox() === null ? it : it.skip)(
  'a board that really runs the script does what the check predicted, over random plans with random faults',
  async () => {
    const much = amount('methods-predict run-once', 2, 60, 20_261_126);
    const met = await compare('run-once', much);
    expect(met['told']).toBeGreaterThan(much.runs / 8);
  },
  3_600_000,
);
