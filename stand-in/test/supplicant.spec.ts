import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { BootFailure } from '../src/board/settings';
import { parseSupplicant } from '../src/board/supplicant';

/** What the stand-in board makes of a file: the names that it looks for, or null when it refuses the file. */
function board(content: string): string[] | null {
  try {
    return parseSupplicant(content).networks.map(({ ssid }) => ssid);
  } catch (error) {
    if (error instanceof BootFailure) return null;
    throw error;
  }
}

const network = (...lines: string[]): string => `country=DK\nnetwork={\n${lines.join('\n')}\n}\n`;
const usual = ['ssid="Salt Marsh"', 'psk="low tide at seven"'];

/** File, and the networks that are read; null where the whole file is refused. */
const cases: [string, string, string[] | null][] = [
  ['a plain one', network(...usual), ['Salt Marsh']],
  [
    'comments behind values and braces',
    network('ssid="Salt # Marsh" # hall', 'psk="12345678" # x'),
    ['Salt # Marsh'],
  ],
  ['a comment behind the opening brace', network(...usual).replace('={', '={ # hall'), ['Salt Marsh']],
  ['carriage returns', network(...usual).replaceAll('\n', '\r\n'), ['Salt Marsh']],
  ['a byte-order mark', `\uFEFF${network(...usual)}`, null],
  ['spaces in network = {', network(...usual).replace('network={', 'network = {'), null],
  ['a space before =', network('ssid ="a"', 'psk="12345678"'), null],
  ['a space behind = of a text', network('ssid= "a"', 'psk="12345678"'), null],
  ['a space behind = of a number', network(...usual, 'priority= 5'), ['Salt Marsh']],
  ['quotation marks within quotation marks', network('ssid="a"b"', 'psk="pass"phrase"'), ['a"b']],
  ['a quotation mark that is not closed', network('ssid="a', 'psk="12345678"'), null],
  ['a name in hexadecimal digits', network('ssid=4f7973746572', 'key_mgmt=NONE'), ['Oyster']],
  ['a bare name', network('ssid=Oyster', 'key_mgmt=NONE'), null],
  ['a bare passphrase', network('ssid="a"', 'psk=12345678'), null],
  ['a short passphrase', network('ssid="a"', 'psk="1234567"'), null],
  ['a key in quotation marks', network('ssid="a"', `psk="${'ab'.repeat(32)}"`), null],
  ['a key', network('ssid="a"', `psk=${'ab'.repeat(32)}`), ['a']],
  ['an unknown setting of a network', network(...usual, 'pasword="x"'), null],
  ['an unknown setting of the file', `contry=DK\n${network(...usual)}`, null],
  ['capitals', network('SSID="a"', 'key_mgmt=NONE'), null],
  ['a made-up key management', network(...usual, 'key_mgmt=WPA-KSP'), null],
  ['two kinds of key management', network(...usual, 'key_mgmt=WPA-PSK SAE'), ['Salt Marsh']],
  ['a number that is none', network(...usual, 'scan_ssid=yes'), null],
  ['a switch with three places', network(...usual, 'scan_ssid=2'), null],
  ['a country of one letter', network(...usual).replace('DK', 'D'), null],
  ['a block that is not closed', network(...usual).replace('}\n', ''), null],
  ['a brace too many', `${network(...usual)}}\n`, null],
  ['a semicolon behind the brace', network(...usual).replace('}\n', '};\n'), null],
  ['two settings on one line', network('ssid="a" psk="12345678"', 'key_mgmt=NONE'), ['a" psk="12345678']],
];

it.each(cases)('%s: the stand-in board reads it as wpa_supplicant does', (_name, content, expected) => {
  const folder = mkdtempSync(join(tmpdir(), 'supplicant-'));
  try {
    const path = join(folder, 'w.conf');
    writeFileSync(path, content);
    // It reads the file before it looks for its driver; one that does not exist ends it at once.
    const { stdout } = spawnSync('wpa_supplicant', ['-D', 'nosuch', '-i', 'lo', '-c', path, '-d'], {
      encoding: 'utf8',
    });
    expect(stdout.includes('Unsupported driver')).toBe(expected !== null);
    for (const name of expected ?? []) expect(stdout).toContain(`ssid='${name.replaceAll('"', '\\"')}'\n`);
    expect(board(content)).toEqual(expected);
  } finally {
    rmSync(folder, { recursive: true });
  }
});

it('does not join a network that is switched off, or that it would have to open itself', () => {
  expect(board(network(...usual, 'disabled=1'))).toEqual([]);
  expect(board(network(...usual, 'mode=2'))).toEqual([]);
});
