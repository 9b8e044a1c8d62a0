import { existsSync, readdirSync } from 'node:fs';
import { join, resolve } from 'node:path';

/** Programs of boards and networks: the system's, or those that were unpacked (scripts/lib/debian.mjs). */

// Tests and measurements run in the project's root.
const unpacked = resolve('data/network-programs');
const folders = ['/usr/sbin', '/usr/bin', '/sbin', '/bin'];

/** Where a program lies; null where it is not here. */
export function program(name: string): string | null {
  const places = [...folders, ...folders.map((folder) => join(unpacked, folder))];
  return places.map((folder) => join(folder, name)).find((path) => existsSync(path)) ?? null;
}

/** Folders of the libraries that came along, as LD_LIBRARY_PATH takes them. */
export const libraries = ['usr/lib', 'lib']
  .map((folder) => join(unpacked, folder))
  .flatMap((folder) =>
    existsSync(folder) ? [folder, ...readdirSync(folder).map((inner) => join(folder, inner))] : [],
  )
  .join(':');
