import { spawnSync } from 'node:child_process';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import * as fc from 'fast-check';
import { globalFields, networkFields } from '../src/formats/supplicant/fields';
import { readSupplicant } from '../src/formats/supplicant/supplicant';
import { octetsOf } from '../src/formats/supplicant/values';
import { check } from './helpers/check';
import { inScratch } from './helpers/reference';
import { amount } from './helpers/soak';

const much = amount('supplicant', 40, 500, 20_261_126);

/**
 * The check of a wpa_supplicant.conf against wpa_supplicant itself. It reads the file before it looks for a driver, so
 * with a driver that does not exist it ends at once, and says whether the file was taken.
 */
function supplicantTakes(path: string): { taken: boolean; names: string[]; said: string } {
  const { stdout } = spawnSync('wpa_supplicant', ['-D', 'nosuch', '-i', 'lo', '-c', path, '-d'], {
    encoding: 'latin1',
  });
  const names = [...stdout.matchAll(/^ {3}id=\d+ ssid='(.*)'$/gm)].map(([, name = '']) => name);
  const said = stdout.split('\n').filter((line) => /^Line \d+/.test(line));
  return { taken: stdout.includes("Unsupported driver 'nosuch'"), names, said: said.join('\n') };
}

/** Octets as wpa_supplicant prints them (its printf_encode). */
function printed(octets: Uint8Array): string {
  const escapes: Record<number, string> = {
    9: '\\t',
    10: '\\n',
    13: '\\r',
    27: '\\e',
    34: '\\"',
    92: '\\\\',
  };
  return [...octets]
    .map(
      (octet) =>
        escapes[octet] ??
        (octet > 31 && octet < 127
          ? String.fromCharCode(octet)
          : `\\x${octet.toString(16).padStart(2, '0')}`),
    )
    .join('');
}

/** What the check says of the file as such: the reasons why all of it is refused. */
const refusals = (text: string): string[] =>
  check({ ssh: '', 'wpa_supplicant.conf': text })
    .findings.filter(({ why, file }) => file === 'wpa_supplicant.conf' && /whole file is refused/.test(why))
    .map(({ message, line }) => `${String(line)} ${message}`);

const good = [
  'country=DK',
  'update_config=1',
  'network={',
  '\tssid="Salt Marsh"',
  '\tpsk="low tide at seven"',
  '\tpriority=5',
  '}',
  'network={',
  '\tssid=4f7973746572 # the hall',
  '\tkey_mgmt=NONE',
  '}',
];

const values = fc.oneof(
  fc.constantFrom('', '0', '1', '2', '3', '7', '-1', '010', '0x1f', '08', '+4', ' 5', '5 ', '1 # one', 'yes'),
  fc.constantFrom('"x"', '"x', 'x"', '"', '""', 'P"a\\x62"', 'P"', '"a"b"', '"a" b', '"a" # b', '"a # b"'),
  fc.constantFrom('NULL', 'ab', 'abc', 'AB12', 'any', '00:00:5e:00:53:01', '0'.repeat(64), '"short"'),
  fc.constantFrom('WPA-PSK', 'WPA-PSK SAE', 'wpa-psk', 'NONE', 'CCMP TKIP', 'CCMP,TKIP', 'RSN', 'OPEN', 'DK'),
  fc.constantFrom('"abcdefgh"', '"abcdefgh"x', `"${'y'.repeat(63)}"`, `"${'y'.repeat(64)}"`, '"abcde"'),
  fc.string({ maxLength: 12 }).map((text) => text.replace(/[\n\r\0]/g, '')),
);
const fieldsOf = (fields: typeof networkFields): string[] =>
  [...fields].flatMap(([name, { form }]) => (form === 'any' ? [] : [name]));
const names = fc.oneof(
  { weight: 3, arbitrary: fc.constantFrom('ssid', 'psk', 'key_mgmt', 'scan_ssid', 'priority', 'country') },
  { weight: 1, arbitrary: fc.constantFrom('SSID', 'password', 'ssid ', 'pks', 'network', 'wep_key0') },
  {
    weight: 3,
    arbitrary: fc.constantFrom(...fieldsOf(networkFields), ...fieldsOf(globalFields)),
  },
);
const odd = fc.constantFrom(
  'network={',
  'network = {',
  'network={ # home',
  'network={ssid="a"',
  '}',
  '};',
  '} # end',
  '{',
  '#network={',
  '# a comment "with marks',
  'nonsense',
  '=',
  '   ',
);
type Change = (lines: string[]) => string[];
const change: fc.Arbitrary<Change> = fc.oneof(
  fc.tuple(fc.nat(good.length), names, values).map(
    ([at, name, value]): Change =>
      (lines) =>
        lines.toSpliced(at, 0, `${name}=${value}`),
  ),
  fc.tuple(fc.nat(good.length), odd).map(
    ([at, line]): Change =>
      (lines) =>
        lines.toSpliced(at, 0, line),
  ),
  fc.nat(good.length - 1).map(
    (at): Change =>
      (lines) =>
        lines.toSpliced(at, 1),
  ),
  fc
    .tuple(fc.nat(150), fc.nat(2), fc.constantFrom('', ...'"#={} \t\\PxAb01'))
    .map(([at, cut, letter]): Change => (lines) => {
      const text = lines.join('\n');
      return `${text.slice(0, at)}${letter}${text.slice(at + cut)}`.split('\n');
    }),
);

describe('wpa_supplicant.conf, judged by the check and by wpa_supplicant', () => {
  it('is taken and refused alike, and read with the same names, over 500 files with random changes', async () => {
    const tally = { taken: 0, refused: 0 };
    await inScratch((folder) => {
      const path = join(folder, 'w.conf');
      fc.assert(
        fc.property(fc.array(change, { minLength: 1, maxLength: 2 }), (changes) => {
          const text = `${changes.reduce((lines, apply) => apply(lines), good).join('\n')}\n`;
          writeFileSync(path, text);
          const theirs = supplicantTakes(path);
          const ours = refusals(text);
          expect({ text, said: theirs.said, ours, refused: ours.length > 0 }).toEqual({
            text,
            said: theirs.said,
            ours,
            refused: !theirs.taken,
          });
          tally[theirs.taken ? 'taken' : 'refused']++;
          if (!theirs.taken) return;
          const read = readSupplicant(text).blocks.map((block) =>
            printed(octetsOf(block.get('ssid') ?? '') ?? new Uint8Array()),
          );
          expect({ text, names: read.toSorted() }).toEqual({ text, names: theirs.names.toSorted() });
        }),
        { numRuns: much.runs, seed: much.seed },
      );
    });
    // Neither answer is rare, so agreeing says something.
    expect(Math.min(tally.taken, tally.refused)).toBeGreaterThan(much.runs / 10);
  }, 3_600_000);
});
