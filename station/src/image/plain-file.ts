import type { FileHandle } from 'node:fs/promises';
import { openPlain } from '../plain-file';
import { ImageError } from './image-error';

/** Opens an image's file that somebody named by its path. @throws ImageError */
export async function openPlainFile(path: string): Promise<FileHandle> {
  const file = await openPlain(path).catch(() => {
    throw new ImageError('missing', `There is no readable file at ${path}. Check the path.`);
  });
  if (!file) throw new ImageError('missing', `${path} is not a file. Choose the image file itself.`);
  return file;
}
