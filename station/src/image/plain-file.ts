import { constants } from 'node:fs';
import { open, stat, type FileHandle } from 'node:fs/promises';
import { ImageError } from './image-error';

const noFile = (path: string): ImageError =>
  new ImageError('missing', `${path} is not a file. Choose the image file itself.`);

/**
 * Opens a plain file that somebody named by its path. It is looked at before it is opened, and opened without waiting
 * (O_NONBLOCK, open(2)): a pipe at that path would otherwise keep a thread until somebody writes into it, and a device
 * may do something by being opened.
 * @throws ImageError
 */
export async function openPlainFile(path: string): Promise<FileHandle> {
  const missing = (): never => {
    throw new ImageError('missing', `There is no readable file at ${path}. Check the path.`);
  };
  if (path.includes('\0')) missing();
  const found = await stat(path).catch(missing);
  if (!found.isFile()) throw noFile(path);
  const file = await open(path, constants.O_RDONLY | constants.O_NONBLOCK).catch(missing);
  // It may have been exchanged in between.
  if (!(await file.stat()).isFile()) {
    await file.close();
    throw noFile(path);
  }
  return file;
}
