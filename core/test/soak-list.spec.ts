import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

/** Every harness whose count can be chosen is one that `npm run soak` knows, and knows no other. */

const root = join(__dirname, '../..');
const read = (path: string): string => readFileSync(join(root, path), 'utf8');

it('npm run soak lists every harness that takes its count from it, and no file that is not there', () => {
  const listed = [...read('scripts/soak.mjs').matchAll(/'([a-z-]+\/(?:test|soak)\/[\w-]+\.spec\.ts)'/g)].map(
    ([, path]) => path ?? '',
  );
  for (const path of listed) expect(read(path)).toMatch(/\b(it|test)\b/);
  const counting = ['core', 'station', 'stand-in', 'server'].flatMap((workspace) =>
    readdirSync(join(root, workspace, 'test'))
      .filter((name) => name.endsWith('.spec.ts'))
      .map((name) => `${workspace}/test/${name}`)
      .filter((path) => /\bamount\(/.test(read(path)) && path !== 'core/test/soak-list.spec.ts'),
  );
  expect(counting.length).toBeGreaterThan(10);
  expect(counting.filter((path) => !listed.includes(path))).toEqual([]);
});
