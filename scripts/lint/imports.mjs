/** Which files of a package import which, read from their text: enough for arrows and circles, and quick. */
import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { join, posix, relative, resolve, sep } from 'node:path';

const specifiers =
  /(?:^|[\s;])(?:import|export)\b[^'"`;]*?\bfrom\s*'(\.[^']*)'|(?:^|[\s;])import\s*'(\.[^']*)'/g;

/** Relative imports of a text. */
const importsOf = (text) => [...text.matchAll(specifiers)].map(([, from, bare]) => from ?? bare);

/** @returns the file that is meant, as a path below the root; null for one that is not there */
export function resolveImport(file, specifier, has) {
  const base = posix.join(posix.dirname(file), specifier);
  return [`${base}.ts`, `${base}/index.ts`, base].find((path) => path.endsWith('.ts') && has(path)) ?? null;
}

/** Every source of a folder by its path below it. */
export function sourcesBelow(root) {
  const files = new Map();
  const visit = (folder) => {
    for (const entry of readdirSync(folder, { withFileTypes: true })) {
      const path = join(folder, entry.name);
      if (entry.isDirectory()) visit(path);
      else if (entry.name.endsWith('.ts'))
        files.set(relative(root, path).split(sep).join('/'), readFileSync(path, 'utf8'));
    }
  };
  if (existsSync(root)) visit(root);
  return files;
}

/**
 * Files that import one another in a circle, each with the circle that it is in.
 * @param files texts by path below the root
 */
export function circlesOf(files) {
  const graph = new Map(
    [...files].map(([file, text]) => [
      file,
      importsOf(text)
        .map((specifier) => resolveImport(file, specifier, (path) => files.has(path)))
        .filter((path) => path !== null),
    ]),
  );
  const found = new Map();
  const done = new Set();
  const visit = (file, way) => {
    const at = way.indexOf(file);
    if (at >= 0) {
      const circle = way.slice(at);
      for (const one of circle) found.set(one, circle);
      return;
    }
    if (done.has(file)) return;
    for (const next of graph.get(file) ?? []) visit(next, [...way, file]);
    done.add(file);
  };
  for (const file of graph.keys()) visit(file, []);
  return found;
}

/** A file's path below a root, with slashes; null when it lies elsewhere. */
export function below(root, file) {
  const path = relative(resolve(root), resolve(file)).split(sep).join('/');
  return path.startsWith('..') ? null : path;
}
