import { constants } from 'node:fs';
import { open, stat, type FileHandle } from 'node:fs/promises';

/**
 * Opens a plain file that somebody named by its path. It is looked at before it is opened, and opened without waiting
 * (O_NONBLOCK, open(2)): a pipe at that path would otherwise keep a thread until somebody writes into it, and a device
 * may do something by being opened.
 * @returns null for what is no plain file
 * @throws what the system says
 */
export async function openPlain(path: string): Promise<FileHandle | null> {
  if (!(await stat(path)).isFile()) return null;
  const file = await open(path, constants.O_RDONLY | constants.O_NONBLOCK);
  // It may have been exchanged in between.
  if ((await file.stat()).isFile()) return file;
  await file.close();
  return null;
}
