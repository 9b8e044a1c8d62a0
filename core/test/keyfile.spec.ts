import { spawnSync } from 'node:child_process';
import * as fc from 'fast-check';
import { toHex, utf8 } from '../src/bytes';
import { noSettings } from '../src/formats/finding';
import { checkKeyfile } from '../src/formats/keyfile/keyfile';
import { valueOf } from '../src/formats/keyfile/values';
import { readKeyfile, ssidOfKeyfile } from '../src/formats/keyfile/read';
import { amount } from './helpers/soak';

const much = amount('keyfile', 40, 300, 20_261_126);

/** The check of keyfiles against NetworkManager itself, which reads and writes them without its daemon. */

const good = `[connection]
id=hall
uuid=2f1f8f0e-3c54-4f6b-9d0e-0a8a2f1f2a00
type=wifi
autoconnect-priority=10

[wifi]
hidden=true
mode=infrastructure
ssid=Salt Marsh

[wifi-security]
key-mgmt=wpa-psk
psk=low tide at seven

[ipv4]
method=auto

[ipv6]
method=auto
`;
const pieces = [
  '',
  ' ',
  '\t',
  '\n',
  '=',
  '[',
  ']',
  '#',
  ';',
  '\\',
  '\\s',
  '\\x',
  '"',
  "'",
  'x',
  '1',
  '-',
  'ø',
  '83;65;',
  '\\;',
];
const lines = [
  ...[
    'ssid=',
    'ssid=83;65;',
    'ssid=83;65',
    'ssid="a"',
    'psk=short',
    'psk=',
    'hidden=yes',
    'hidden=1',
    'mode=ap',
  ],
  ...[
    'key-mgmt=none',
    'key-mgmt=sae',
    'key-mgmt=WPA-PSK',
    'key-mgmt=wpa2',
    'wep-key0=abcde',
    'wep-key-type=1',
  ],
  ...[
    'mode=x',
    'type=ethernet',
    'type=802-11-wireless',
    'type=wlan',
    'junk',
    '[wifi',
    '[x]',
    'method=x',
    'uuid=1',
  ],
  ...[
    'autoconnect-priority=x',
    'band=a',
    'band=x',
    'channel=6',
    'auth-alg=open',
    'proto=rsn',
    'pairwise=ccmp',
  ],
  ...[
    `psk=${'a'.repeat(64)}`,
    'address1=10.0.0.5/24',
    'autoconnect=false',
    'interface-name=wlan0',
    'unknown=1',
  ],
];
type Change = (text: string) => string;
const change: fc.Arbitrary<Change> = fc.oneof(
  fc
    .tuple(fc.nat(300), fc.nat(3), fc.constantFrom(...pieces))
    .map(([place, cut, piece]): Change => (text) => {
      const at = place % text.length;
      return text.slice(0, at) + piece + text.slice(at + cut);
    }),
  fc.tuple(fc.nat(20), fc.nat(1), fc.constantFrom(...lines)).map(
    ([at, cut, line]): Change =>
      (text) =>
        text.split('\n').toSpliced(at, cut, line).join('\n'),
  ),
);

it('300 keyfiles with random changes are taken, refused and read alike by NetworkManager and by the check', () => {
  const tally = { taken: 0, refused: 0 };
  fc.assert(
    fc.property(fc.array(change, { minLength: 1, maxLength: 2 }), (changes) => {
      const text = changes.reduce((before, apply) => apply(before), good);
      const theirs = spawnSync(
        'nmcli',
        ['--offline', 'connection', 'modify', 'connection.autoconnect', 'yes'],
        {
          input: text,
          encoding: 'utf8',
        },
      );
      // Its daemon takes the file's name where there is no id; only this way of asking it does not.
      if (theirs.stderr.includes('connection.id: property is missing')) return;
      const findings = checkKeyfile('hall', utf8(text), 1, noSettings());
      const refused = findings.filter(({ why }) => /refuses|ignores/.test(why)).map(({ message }) => message);
      expect({ text, said: theirs.stderr, refused, is: refused.length > 0 }).toEqual({
        text,
        said: theirs.stderr,
        refused,
        is: theirs.status !== 0,
      });
      tally[theirs.status === 0 ? 'taken' : 'refused']++;
      if (theirs.status !== 0) return;
      const [read, canonical] = [readKeyfile(text), readKeyfile(theirs.stdout)];
      const told = (groups: typeof read): unknown => ({
        ssid: toHex(ssidOfKeyfile(groups.get('wifi')?.get('ssid') ?? '')),
        psk: valueOf(groups, 'wifi-security', 'psk') ?? null,
      });
      expect({ text, ...(told(read) as object) }).toEqual({ text, ...(told(canonical) as object) });
    }),
    { numRuns: much.runs, seed: much.seed },
  );
  expect(Math.min(tally.taken, tally.refused)).toBeGreaterThan(much.runs / 6);
}, 120_000);
