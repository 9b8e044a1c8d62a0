import { createHash } from 'node:crypto';
import { writeFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { publishedDigest } from '../src/images/published-digest';
import { inScratch, run } from './helpers/reference';

const digest = createHash('sha256').update('oysters').digest('hex');
const other = createHash('sha256').update('mussels').digest('hex');

describe('published digests', () => {
  it.each([
    ['the digits alone', digest],
    ['capitals and spaces around', `  ${digest.toUpperCase()} \r\n`],
    ['one line', `${digest}  marsh.img.xz`],
    ['a binary line', `${digest} *marsh.img.xz`],
    ['a path before the name', `${digest}  ./images/marsh.img.xz`],
    ['a list', `${other}  other.img.xz\n${digest}  marsh.img.xz\n`],
    ['lines with a tag', `SHA256 (other.img.xz) = ${other}\nSHA256 (marsh.img.xz) = ${digest}`],
    [
      'a signed list with other digests',
      `-----BEGIN PGP SIGNED MESSAGE-----\nHash: SHA512\n\n# made today\n${other.repeat(2)}  marsh.img.xz\n${digest}  marsh.img.xz\n-----BEGIN PGP SIGNATURE-----\nabc`,
    ],
  ])('%s', (_name, text) => {
    expect(publishedDigest(text, 'marsh.img.xz')).toEqual({ digest });
  });

  it('are none in an empty text, and told apart from what is no digest or another file’s', () => {
    expect(publishedDigest(' \n', 'marsh.img.xz')).toBeNull();
    expect(publishedDigest('abc123', 'marsh.img.xz')).toEqual({ fault: 'form', names: [] });
    expect(publishedDigest(digest.slice(1), 'marsh.img.xz')).toEqual({ fault: 'form', names: [] });
    expect(publishedDigest(`${digest}  old.img.xz`, 'marsh.img.xz')).toEqual({
      fault: 'other-file',
      names: ['old.img.xz'],
    });
    expect(publishedDigest(`${digest}\n${other}`, 'marsh.img.xz')).toEqual({
      fault: 'other-file',
      names: [],
    });
  });

  it('are found in what sha256sum writes, with and without its options', async () => {
    await inScratch((folder) => {
      for (const name of ['marsh.img.xz', 'with space.img', 'øyster (1).img'])
        writeFileSync(join(folder, name), name);
      for (const options of [[], ['-b'], ['--tag']]) {
        const names = ['marsh.img.xz', 'with space.img', 'øyster (1).img'];
        const list = run('sha256sum', [...options, ...names.map((name) => join(folder, name))]);
        for (const name of names)
          expect(publishedDigest(list, name)).toEqual({
            digest: createHash('sha256').update(name).digest('hex'),
          });
      }
    });
  });

  it('never throw, and never make a digest up', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 200 }), (text) => {
        const found = publishedDigest(text, 'a');
        if (found && 'digest' in found) expect(text.toLowerCase()).toContain(found.digest);
      }),
    );
  });
});
