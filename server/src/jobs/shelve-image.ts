import { rm } from 'node:fs/promises';
import { DiskError } from '@nest-mark/core';
import { ImageError, shelveImage } from '@nest-mark/station';
import { record, shelfFolder, type Context } from '../services/context';

/** What people are told when an image cannot be taken. */
function reasonOf(error: unknown): string {
  if (error instanceof ImageError || error instanceof DiskError) return error.message;
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOSPC')
    return 'The disk is full. Make room, then add the image again. Nothing else was changed.';
  return `The image could not be read: ${message}`;
}

/** Reads an image from end to end and puts it on the shelf. */
export async function shelve(context: Context, imageId: string): Promise<void> {
  const image = await context.images.find(imageId);
  if (image?.state !== 'checking') return;
  const folder = shelfFolder(context, imageId);
  try {
    // A killed server may have left half a copy.
    await rm(folder, { recursive: true, force: true });
    const facts = await shelveImage(image.sourcePath, folder, image.published);
    const twin = await context.images.findByDigest(facts.rawSha256);
    if (twin) {
      await rm(folder, { recursive: true, force: true });
      await context.images.fail(imageId, `This image is on the shelf already, as "${twin.title}".`);
    } else {
      await context.images.finish(imageId, facts);
      await record(context, {
        kind: 'image',
        text: `Image "${image.title}" was checked and put on the shelf, SHA-256 ${facts.packedSha256}.`,
      });
    }
  } catch (error) {
    await context.images.fail(imageId, reasonOf(error));
    await record(context, {
      kind: 'image-refused',
      text: `Image "${image.title}" was refused: ${reasonOf(error)}`,
    });
  }
  const now = await context.images.find(imageId);
  if (now) context.events.send({ type: 'image', image: now.view });
}
