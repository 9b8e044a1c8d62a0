import { access, mkdir, rename, rm } from 'node:fs/promises';
import { join } from 'node:path';
import { DiskError } from '@nest-mark/core';
import { ImageError, shelveImage, usualLimits } from '@nest-mark/station';
import { isUpload } from '../services/uploads';
import { record, shelfFolder, type Context } from '../services/context';
import { addJob } from './queue';

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
  const { largestGB, blockMiB } = await context.settings.bench();
  const limits = { ...usualLimits, largest: largestGB * 1e9, blockSize: blockMiB << 20 };
  let told = Date.now();
  const onProgress = (octets: number): void => {
    if (Date.now() - told < 500) return;
    told = Date.now();
    context.events.send({ type: 'image', image: { ...image.view, unpacked: octets } });
  };
  try {
    // A killed server may have left half a copy.
    await rm(folder, { recursive: true, force: true });
    const facts = await shelveImage(image.sourcePath, folder, image.published, onProgress, limits);
    const twin = await context.images.findByDigest(facts.rawSha256, imageId);
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
  // The file that was sent has done its work; a file of the operator's is never touched.
  if (isUpload(context, image.sourcePath)) await rm(image.sourcePath, { force: true });
  const now = await context.images.find(imageId);
  if (now) context.events.send({ type: 'image', image: now.view });
}

/** Images that an earlier version kept packed are read anew from that copy, or from where they came. */
export async function shelveAnew(context: Context): Promise<void> {
  for (const { id, facts, sourcePath } of await context.images.list()) {
    if (!facts || 'blockSize' in facts) continue;
    const folder = shelfFolder(context, id);
    const packed = join(folder, 'image');
    const moved = join(context.dataFolder, 'uploads', `${id}.part`);
    const kept = await access(packed).then(
      () => true,
      () => false,
    );
    if (kept) {
      await mkdir(join(context.dataFolder, 'uploads'), { recursive: true });
      await rename(packed, moved);
    }
    await context.knex.transaction(async (db) => {
      await context.images.checkAgain(id, kept ? moved : sourcePath, db);
      await addJob(db, 'shelve-image', { imageId: id }, 3);
    });
  }
}
