import { dirname, join } from 'node:path';

/** Root of the project. */
export const root = dirname(dirname(import.meta.dirname));

export const setupFolder = join(root, '.setup');
export const webFolder = join(root, 'web/dist/browser');
export const serverBundle = join(root, 'server/dist/main.js');
/** The program of the thread in which searches run. */
export const searchProgram = join(root, 'server/dist/search-worker.js');
export const baseImage = join(root, 'data/base/practice-os.img.xz');

/** A third of it, for tests of the server that write many cards. */
export const smallImage = join(root, 'data/base/practice-os-small.img.xz');

/** Programs of boards and networks, unpacked for tests and not installed. */
export const networkPrograms = join(root, 'data/network-programs');

/** Debian keeps some tools where a plain user's path does not lead. */
export const toolPath = `${process.env.PATH ?? ''}:/usr/sbin:/sbin`;
