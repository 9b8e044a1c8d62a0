import fc from 'fast-check';
import {
  checkCard,
  cardFilesOf,
  noBase,
  plainExtras,
  makeHostKey,
  preSharedKey,
  readBootFiles,
  utf8,
  type FirstBootSettings,
} from '@nest-mark/core';
import { readCard } from '../src/board/read-card';
import { blankDisk, cardOf } from './helpers/boot-disk';
import { amount } from '../../core/test/helpers/soak';

const much = amount('check-predicts', 10, 300, 20_261_126);

const userKey = makeHostKey(new Uint8Array(32).fill(7), new Uint8Array(4), 'mara@bench').publicLine;
const hostKey = makeHostKey(new Uint8Array(32).fill(2), new Uint8Array(4), '7KQ4M');

const disk = blankDisk('CIDATA');

const plan = fc.record({
  hostName: fc.stringMatching(/^[a-z][a-z0-9-]{0,10}[a-z0-9]$/),
  networks: fc.uniqueArray(
    fc.record({
      ssid: fc
        .string({ minLength: 1, maxLength: 8, unit: 'grapheme-ascii' })
        .filter((text) => text.trim() === text && text !== ''),
      hidden: fc.boolean(),
      priority: fc.integer({ min: -9, max: 99 }),
    }),
    { maxLength: 3, selector: ({ ssid }) => ssid.toLowerCase() },
  ),
  password: fc.boolean(),
});

function settingsOf(given: {
  hostName: string;
  networks: { ssid: string; hidden: boolean; priority: number }[];
  password: boolean;
}): FirstBootSettings {
  return {
    mark: '7KQ4M',
    nest: 'A1',
    deviceId: 'd',
    batchId: 'b',
    batchName: 'Tanks',
    hostName: given.hostName,
    user: {
      name: 'keeper',
      keys: [userKey],
      passwordHash: given.password ? `$6$reed$${'a'.repeat(86)}` : null,
      passwordLogin: given.password,
      sudo: 'usual',
      groups: [],
    },
    hostKey,
    others: [],
    networks: given.networks.map(({ ssid, hidden, priority }) => ({
      ssid: utf8(ssid),
      hidden,
      priority,
      security: 'wpa2-psk' as const,
      key: preSharedKey(utf8(ssid), 'low tide at seven'),
    })),
    country: 'DK',
    timeZone: 'Europe/Copenhagen',
    locale: 'en_GB.UTF-8',
    ...plainExtras,
    instanceId: '7KQ4M-1',
  };
}

/** What a hand or an editor does to one file. */
const fault = fc.oneof(
  fc.constant({ do: 'nothing' as const }),
  fc.record({ do: fc.constant('octet' as const), file: fc.nat(2), at: fc.nat(4000), value: fc.nat(255) }),
  fc.record({ do: fc.constant('cut' as const), file: fc.nat(2), at: fc.nat(4000) }),
  fc.record({ do: fc.constant('mark' as const), file: fc.nat(2) }),
  fc.record({ do: fc.constant('crlf' as const), file: fc.nat(2) }),
  fc.record({ do: fc.constant('tab' as const), file: fc.nat(2) }),
  fc.record({ do: fc.constant('gone' as const), file: fc.nat(2) }),
  // A letter of a setting's name, as fingers slip.
  fc.record({ do: fc.constant('misspelt' as const), file: fc.constant(2), at: fc.nat(40) }),
);
type Fault = {
  do: 'nothing' | 'octet' | 'cut' | 'mark' | 'crlf' | 'tab' | 'gone' | 'misspelt';
  file?: number;
  at?: number;
  value?: number;
};

function spoil(files: Map<string, Uint8Array>, what: Fault): void {
  const name = ['user-data', 'meta-data', 'network-config'][what.file ?? 0]!;
  const content = files.get(name);
  if (!content || what.do === 'nothing') return;
  const text = new TextDecoder().decode(content);
  const at = (what.at ?? 0) % content.length;
  if (what.do === 'octet')
    files.set(
      name,
      content.map((value, index) => (index === at ? (what.value ?? 0) : value)),
    );
  if (what.do === 'cut') files.set(name, content.subarray(0, at));
  if (what.do === 'mark') files.set(name, utf8(`\uFEFF${text}`));
  if (what.do === 'crlf') files.set(name, utf8(text.replace(/\n/g, '\r\n')));
  if (what.do === 'tab') files.set(name, utf8(text.replace(/\n {2}/, '\n\t')));
  if (what.do === 'misspelt') {
    const names = [...text.matchAll(/^ +([a-z][a-z0-9-]+):/gm)];
    const name = names[(what.at ?? 0) % Math.max(1, names.length)];
    if (name) {
      const place = name.index + name[0].length - 2;
      files.set('network-config', utf8(text.slice(0, place) + text.slice(place + 1)));
    }
  }
  if (what.do === 'gone') files.delete(name);
}

it('what the check says of a card is what the stand-in board makes of it, over 300 random plans with random faults', async () => {
  const met = { agreed: 0, warned: 0, changed: 0 };
  await fc.assert(
    fc.asyncProperty(plan, fault, async (given, what) => {
      much.step();
      const settings = settingsOf(given);
      const files = new Map(
        cardFilesOf('declarative-seed', settings, noBase).map(({ path, content }) => [path, content]),
      );
      spoil(files, what);
      const card = await cardOf(disk, files);
      const board = await readCard(card, { kernel: false });
      const check = checkCard(await readBootFiles(card));
      const stops = check.findings.filter(({ severity }) => severity === 'stops');
      const told = {
        given,
        what,
        findings: check.findings.map(({ id, file }) => `${id} ${file}`),
        ignored: board.ignored,
      };
      // A board that ignores something is a board that somebody waits for.
      if (board.ignored.length > 0) {
        expect({ ...told, warned: stops.length > 0 }).toEqual({ ...told, warned: true });
        met.warned++;
        return;
      }
      if (stops.length > 0) {
        met.warned++;
        return;
      }
      // Nothing stops: then the check has read what the board does, also where a fault made it something else.
      expect({ ...told, name: check.settings.hostName }).toEqual({ ...told, name: board.hostName });
      expect({ ...told, seen: new Set(check.settings.networks.map(({ ssid }) => ssid)) }).toEqual({
        ...told,
        seen: new Set(board.radio.networks.map(({ ssid }) => ssid)),
      });
      expect({ ...told, users: check.settings.users.map(({ name }) => name) }).toEqual({
        ...told,
        users: board.users.map(({ name }) => name),
      });
      expect({ ...told, login: check.settings.passwordLogin }).toEqual({
        ...told,
        login: board.passwordLogin,
      });
      if (board.hostName === given.hostName && board.radio.networks.length === given.networks.length)
        met.agreed++;
      else met.changed++;
    }),
    // The same cases each time, unless others are asked for: a gap that is found now and then helps nobody.
    { numRuns: much.runs, seed: much.seed },
  );
  // The run met all three: cards that are right, that are warned of, and some that were changed and still work.
  expect(met.agreed).toBeGreaterThan(much.runs / 6);
  expect(met.warned).toBeGreaterThan(much.runs / 6);
}, 3_600_000);
