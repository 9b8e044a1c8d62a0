import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { mendKeys, parseKeyList } from '../src/access/key-list';
import { isDefaultPassword, makePassword, passwordAlphabet, passwordBits } from '../src/access/password';
import { fingerprint } from '../src/access/ssh-public-key';
import { userKey } from './helpers/plan';
import { inScratch, run } from './helpers/reference';

/** Key types that ssh-keygen makes without a token. */
const makes = [
  ['ed25519', 256],
  ['rsa', 1024],
  ['rsa', 2048],
  ['rsa', 3072],
  ['ecdsa', 256],
  ['ecdsa', 384],
  ['ecdsa', 521],
] as const;

const made = (
  folder: string,
  type: string,
  bits: number,
): { line: string; private: string; path: string } => {
  const path = join(folder, `${type}-${String(bits)}`);
  run('ssh-keygen', ['-q', '-t', type, '-b', String(bits), '-N', '', '-C', 'mara@bench', '-f', path]);
  return { line: readFileSync(`${path}.pub`, 'utf8').trim(), private: readFileSync(path, 'utf8'), path };
};

describe('keys that ssh-keygen made', () => {
  it.each(makes)('%s %i: type, size and fingerprint as ssh-keygen -lf prints them', async (type, bits) => {
    await inScratch((folder) => {
      const { line, path } = made(folder, type, bits);
      const [entry] = parseKeyList(line);
      if (!entry || typeof entry.key === 'string') throw new Error('not read');
      const printed = run('ssh-keygen', ['-lf', `${path}.pub`]);
      expect(printed).toContain(
        `${String(entry.key.bits)} ${fingerprint(entry.key.blob)} ${entry.key.comment}`,
      );
    });
  });

  it('each of them is mended when it was broken over lines, at whatever place', async () => {
    await inScratch((folder) => {
      const { line } = made(folder, 'ecdsa', 521);
      fc.assert(
        fc.property(
          // Inside type and key; a comment that is cut loses nothing.
          fc.uniqueArray(fc.integer({ min: 1, max: line.lastIndexOf(' ') - 1 }), {
            minLength: 1,
            maxLength: 4,
          }),
          (cuts) => {
            const places = [0, ...[...cuts].sort((a, b) => a - b), line.length];
            const pieces = places.slice(1).map((end, at) => line.slice(places[at], end));
            // Two cuts side by side would leave a piece of spaces alone, which is a blank line.
            fc.pre(pieces.every((piece) => piece.trim() !== ''));
            const mended = mendKeys(`${pieces.join('\r\n')}\n${userKey}`);
            const keys = parseKeyList(mended).map(({ key }) => (typeof key === 'string' ? key : key.type));
            expect(keys).toEqual(['ecdsa-sha2-nistp521', 'ssh-ed25519']);
          },
        ),
        { numRuns: 60, examples: [[[1, 19, 21]], [[19, 20]], [[18, 22]]] },
      );
    });
  });

  it('the form of RFC 4716, as ssh-keygen -e writes it, is recognised and mended', async () => {
    await inScratch((folder) => {
      for (const [type, bits] of makes) {
        const { line, path } = made(folder, type, bits);
        const exported = run('ssh-keygen', ['-e', '-f', `${path}.pub`]);
        const [entry] = parseKeyList(exported);
        expect(entry).toMatchObject({ line: 1, key: 'other-form' });
        expect(entry?.mended).toBe(line.split(' ').slice(0, 2).join(' '));
        expect(mendKeys(exported.trim())).toBe(entry?.mended);
      }
    });
  });

  it('a private key is one fault and not twenty, and what follows it is still read', async () => {
    await inScratch((folder) => {
      const key = made(folder, 'rsa', 3072);
      const list = parseKeyList(`${key.private}\n${key.line}`);
      expect(list.map(({ key: found }) => (typeof found === 'string' ? found : found.type))).toEqual([
        'private',
        'ssh-rsa',
      ]);
      expect(list[0]?.lastLine).toBeGreaterThan(20);
      const pem = run('ssh-keygen', ['-p', '-m', 'PEM', '-N', '', '-P', '', '-f', key.path]);
      expect(pem).toContain('saved');
      expect(parseKeyList(readFileSync(key.path, 'utf8')).map(({ key: found }) => found)).toEqual([
        'private',
      ]);
    });
  });
});

describe('key lists', () => {
  it('skip blank lines and comments, take any line end, and count lines from one', () => {
    const list = parseKeyList(`\uFEFF# mara\r\n\r\n${userKey}\r${userKey}`);
    expect(list.map(({ line }) => line)).toEqual([3, 4]);
  });

  it('leave alone what cannot be mended', () => {
    const text = `${userKey.slice(0, 50)}\n\n${userKey.slice(50)}\nrubbish here`;
    expect(mendKeys(text)).toBe(text);
  });

  it('never throw, and never lose a whole key that stands on a line of its own', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 80 }), (rubbish) => {
        const line = rubbish.replace(/[\r\n]/g, '');
        fc.pre(!/PRIVATE KEY|SSH2 PUBLIC KEY|^Private/.test(line));
        const keys = parseKeyList(`${userKey}\n${line}`).filter(({ key }) => typeof key !== 'string');
        expect(keys.length).toBeGreaterThanOrEqual(1);
      }),
    );
  });
});

describe('made passwords', () => {
  it('leave out what looks alike, and tell their entropy', () => {
    for (const char of '0O1lI') expect(passwordAlphabet).not.toContain(char);
    expect(new Set(passwordAlphabet).size).toBe(passwordAlphabet.length);
    // log2 of the number of passwords.
    expect(passwordBits(1, 64)).toBe(6);
    expect(passwordBits(16)).toBeCloseTo(Math.log2(passwordAlphabet.length ** 16), 6);
    expect(passwordBits(16)).toBeGreaterThan(90);
  });

  it('use every character of the alphabet and the drawn numbers alone', () => {
    let at = 0;
    const count = passwordAlphabet.length;
    expect(makePassword((below) => at++ % below, count)).toBe(passwordAlphabet);
  });

  it.each([
    ['changeme', 'keeper', true],
    ['Keeper', 'keeper', true],
    [' ADMIN ', 'keeper', true],
    ['', '', false],
    ['oysters at seven', 'keeper', false],
  ])('"%s" of %s is a default: %s', (password, user, answer) => {
    expect(isDefaultPassword(password, user)).toBe(answer);
  });
});
