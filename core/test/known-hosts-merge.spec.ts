import { randomBytes } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { checkCharacter, knownHosts, mergeKnownHosts } from '../src/index';
import { handed, handedOvers, keyOf } from './helpers/handed-over';
import { attempt, inScratch, run } from './helpers/reference';
import { many } from './helpers/soak';

const salt = (): Uint8Array => new Uint8Array(randomBytes(20));
const plain = { salt: null };
const markOf = (at: number): string => {
  const payload = `7K${String(at).padStart(2, '0')}`;
  return payload + checkCharacter(payload);
};
const hashed = { salt };

/** Lines as people have them in their files. */
const foreign = fc.constantFrom(
  '# my own boards',
  '',
  '   ',
  `forge.example,192.0.2.9 ${keyOf(100)} mara@bench`,
  `|1|AAAAAAAAAAAAAAAAAAAAAAAAAAA=|AAAAAAAAAAAAAAAAAAAAAAAAAAA= ${keyOf(101)}`,
  `@cert-authority *.example ${keyOf(102)} 7KQ4J`,
  `@revoked * ${keyOf(103)}`,
  `[192.0.2.1]:2222 ${keyOf(104)}`,
  'old 1024 35 1234567890 ssh-1 key',
  'broken line',
  'caf\u00e9 \u00ff\u0000 octets',
  `tank-07 ${keyOf(105)}`,
  `*.lan,!bad.lan ${keyOf(106)} with a  comment`,
);
const ends = fc.constantFrom('\n', '\r\n');
const files = fc
  .tuple(fc.array(fc.tuple(foreign, ends), { maxLength: 12 }), fc.boolean())
  .map(([lines, closed]) => {
    const text = lines.map(([line, end]) => line + end).join('');
    return closed ? text : text.replace(/\r?\n$/, '');
  });

describe('putting host keys into somebody’s known_hosts', () => {
  const marked = handedOvers.map((devices) => devices.map((device, at) => ({ ...device, mark: markOf(at) })));

  it('never changes a line of anybody else, whatever it is, and twice is once', () => {
    fc.assert(
      fc.property(files, marked, fc.constantFrom(plain, hashed), (text, devices, form) => {
        const once = mergeKnownHosts(text, devices, form);
        const lines = (of: string): string[] => of.match(/[^\n]*\n|[^\n]+$/g) ?? [];
        const marks = new Set(devices.map(({ mark }) => mark));
        const ofOthers = (of: string): string[] =>
          lines(of)
            .map((line) => line.replace(/\r?\n$/, ''))
            .filter(
              (line) =>
                line.startsWith('@') ||
                !marks.has(
                  line
                    .trim()
                    .split(/[ \t]+/)
                    .slice(3)
                    .join(' '),
                ),
            );
        expect(ofOthers(once.text)).toEqual(ofOthers(text));
        expect(mergeKnownHosts(once.text, devices, form).text).toBe(once.text);
      }),
      { numRuns: many(60, 300) },
    );
  });

  it('replaces the old keys of a board whose card was written anew, in their place, and piles nothing up', () => {
    const before = `# first\ntank-07,tank-07.local,10.0.0.99 ${keyOf(1)} 7KQ4J\nother ${keyOf(2)}\ntank-07 ${keyOf(3)} 7KQ4J\n`;
    const merged = mergeKnownHosts(before, [handed()], plain);
    expect(merged.text).toBe(
      `# first\ntank-07,tank-07.local,10.0.0.7 ${keyOf(7)} 7KQ4J\nother ${keyOf(2)}\n`,
    );
    expect(merged.removed.map(({ line }) => line)).toEqual([2, 4]);
    expect(merged.added).toHaveLength(1);
  });

  it('goes from names in the clear to hashed ones and back', () => {
    const clear = mergeKnownHosts('', [handed()], plain).text;
    const hidden = mergeKnownHosts(clear, [handed()], hashed).text;
    expect(hidden).not.toContain('tank-07');
    expect(hidden.split('\n')).toHaveLength(4);
    expect(mergeKnownHosts(hidden, [handed()], hashed).text).toBe(hidden);
    expect(mergeKnownHosts(hidden, [handed()], plain).text).toBe(clear);
  });

  it('closes a last line that has no end, and goes on with the ends that the file has', () => {
    expect(mergeKnownHosts(`a ${keyOf(1)}`, [handed()], plain).text).toMatch(/^a [^\n]+\ntank-07,[^\n]+\n$/);
    expect(mergeKnownHosts(`a ${keyOf(1)}\r\n`, [handed()], plain).text).toMatch(/\r\ntank-07,[^\n]+\r\n$/);
  });

  it('tells of lines of others that vouch for another key under a name of ours, or revoke one', () => {
    const line = (host: string): string => `${host} ${keyOf(9)}\n`;
    expect(mergeKnownHosts(line('10.0.0.7'), [handed()], plain).remarks[0]).toContain(
      "ssh-keygen -R '10.0.0.7'",
    );
    const secret = knownHosts([handed({ hostKey: keyOf(9), mark: '' })], hashed);
    expect(mergeKnownHosts(secret, [handed()], plain).remarks).toHaveLength(3);
    expect(mergeKnownHosts(`@revoked * ${keyOf(7)}\n`, [handed()], plain).remarks[0]).toContain('refuse it');
  });

  it('leaves out a device whose mark has no check character: a comment like it could be anybody’s', () => {
    const merged = mergeKnownHosts(`a ${keyOf(1)} mine\n`, [handed({ mark: 'mine' })], plain);
    expect(merged).toMatchObject({
      text: `a ${keyOf(1)} mine\n`,
      added: [],
      remarks: ['left out: tank-07, since its mark is none'],
    });
  });

  it('takes megabytes of lines and hashed names in a bounded time', () => {
    const key = keyOf(50);
    const many = Array.from(
      { length: 20_000 },
      (_, at) => `|1|${Buffer.alloc(20, at % 251).toString('base64')}|AAAA= ${key}\n`,
    ).join('');
    const devices = Array.from({ length: 50 }, (_, at) =>
      handed({ hostName: `tank-${String(at)}`, mark: markOf(at) }),
    );
    const merged = mergeKnownHosts(many, devices, plain);
    expect(merged.added).toHaveLength(50);
    expect(merged.remarks.at(-1)).toMatch(/hashed names of others were not compared/);
  });

  it('is found and hashed by ssh-keygen as its own (OpenSSH, -F, -H, -R)', async () => {
    await inScratch((folder) => {
      const file = join(folder, 'known_hosts');
      const device = handed({ port: 2222 });
      for (const form of [plain, hashed]) {
        writeFileSync(file, mergeKnownHosts(`other ${keyOf(2)}\n`, [device], form).text, 'latin1');
        for (const name of ['tank-07', '[tank-07.local]:2222', '[10.0.0.7]:2222'])
          expect(run('ssh-keygen', ['-F', name, '-f', file])).toContain(device.hostKey.split(' ')[1]);
        expect(attempt('ssh-keygen', ['-F', '10.0.0.7', '-f', file]).code).toBe(1);
      }
      // What ssh-keygen hashed is taken for ours, and is right already.
      writeFileSync(file, knownHosts([device]), 'latin1');
      run('ssh-keygen', ['-q', '-H', '-f', file]);
      const theirs = readFileSync(file, 'latin1');
      expect(theirs).not.toContain('tank');
      expect(mergeKnownHosts(theirs, [device], hashed).text).toBe(theirs);
      run('ssh-keygen', ['-q', '-R', 'tank-07', '-f', file]);
      expect(mergeKnownHosts(readFileSync(file, 'latin1'), [device], hashed).added).toHaveLength(4);
    });
  });
});
