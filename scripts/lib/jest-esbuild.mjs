/**
 * Turns TypeScript and ES modules into CommonJS for Jest, by esbuild: a tenth of the time that the compiler takes, which
 * a fresh copy pays for every file. Types are checked by tsc, as a check of its own.
 *
 * What is used as a whole becomes one module: packages, and those that the option `whole` names. Functions then call one
 * another directly, not through an object of exports, without which hashing takes many times as long; and a test file
 * loads one file instead of hundreds.
 */
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { buildSync, transformSync, version } from 'esbuild';

const digest = (...parts) =>
  parts.reduce((hash, part) => hash.update(part), createHash('sha256')).digest('hex');
const own = digest(readFileSync(import.meta.filename), version);

const common = { format: 'cjs', target: 'node20', sourcemap: 'inline', logLevel: 'silent' };

/** Of all sources of a package: any of them changes what the whole is. */
const ofFolder = (folder) =>
  digest(
    ...readdirSync(folder, { recursive: true, withFileTypes: true })
      .filter((entry) => entry.isFile())
      .map((entry) => join(entry.parentPath, entry.name))
      .sort()
      .flatMap((path) => [relative(folder, path), readFileSync(path)]),
  );
const seen = new Map();
const folderDigest = (folder) => {
  if (!seen.has(folder)) seen.set(folder, ofFolder(folder));
  return seen.get(folder);
};

const together = (path) =>
  buildSync({
    ...common,
    entryPoints: [path],
    bundle: true,
    platform: 'node',
    // Its errors are told by their class, on both sides.
    external: ['zod'],
    write: false,
  }).outputFiles[0].text;

export default {
  createTransformer({ whole = [] } = {}) {
    const isWhole = (path) => whole.some((end) => path.endsWith(end));
    return {
      /** What the same source may be taken from Jest's cache by. */
      getCacheKey: (source, path) =>
        digest(own, path, source, isWhole(path) ? folderDigest(dirname(path)) : ''),
      process: (source, path) =>
        isWhole(path) || path.includes('/node_modules/')
          ? { code: together(path) }
          : transformSync(source, {
              ...common,
              loader: path.endsWith('ts') ? 'ts' : 'js',
              sourcefile: path,
              supported: { 'dynamic-import': false },
            }),
    };
  },
};
