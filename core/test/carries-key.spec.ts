import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { carriesHostKey, makeHostKey, utf8 } from '../src';

/** Whether a card has a device's own key: by the private half, which whoever only names the device does not have. */

const ours = makeHostKey(new Uint8Array(32).fill(3), new Uint8Array(4), '7KQ4M');
const other = makeHostKey(new Uint8Array(32).fill(4), new Uint8Array(4), '7KQ4M');
const indented = (text: string, by: string, end = '\n'): string =>
  `#cloud-config${end}ssh_keys:${end}  ed25519_private: |${end}${text
    .trim()
    .split('\n')
    .map((line) => `${by}${line}`)
    .join(end)}${end}x: 1${end}`;
const carries = (...texts: string[]): boolean =>
  carriesHostKey(
    { files: texts.map((text, at) => ({ name: `f${String(at)}`, content: utf8(text) })) },
    ours.publicLine,
  );

describe('a card with a device’s own key', () => {
  it.each([
    ['as it is', ours.privateText, true],
    ['indented, as YAML has it', indented(ours.privateText, '    '), true],
    ['with line ends of another system', indented(ours.privateText, '    ', '\r\n'), true],
    ['another one’s', indented(other.privateText, '    '), false],
    ['the public half alone', ours.publicLine, false],
    ['one that was cut', indented(ours.privateText.slice(0, 200), '    '), false],
    ['none', '', false],
  ])('is told from others: %s', (_, text, there) => {
    expect(carries('nothing', text)).toBe(there);
  });

  it('that OpenSSH made (ssh-keygen)', () => {
    const folder = mkdtempSync(join(tmpdir(), 'nest-mark-key-'));
    try {
      const file = join(folder, 'key');
      execFileSync('ssh-keygen', ['-q', '-t', 'ed25519', '-N', '', '-C', '', '-f', file]);
      const text = readFileSync(file, 'utf8');
      const line = readFileSync(`${file}.pub`, 'utf8');
      expect(carriesHostKey({ files: [{ name: 'x', content: utf8(indented(text, '  ')) }] }, line)).toBe(
        true,
      );
      expect(carries(text)).toBe(false);
    } finally {
      rmSync(folder, { recursive: true });
    }
  });
});
