import { join } from 'node:path';
import type { Images } from './domain';

/** Folder of an image on this station's shelf. @param imageId never a text from outside */
export const shelfFolder = ({ folder }: Pick<Images, 'folder'>, imageId: string): string =>
  join(folder, 'shelf', imageId);
