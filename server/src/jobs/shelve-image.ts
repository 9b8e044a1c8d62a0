import { access, mkdir, rename, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { DiskError } from '@nest-mark/core';
import { ImageError, shelveImage, usualLimits } from '@nest-mark/station';
import { isOutage } from '../db/outage';
import { shelfFolder, type Context } from '../services/context';
import { readImageSoon } from '../services/images';
import { untilRecorded } from '../services/until-recorded';
import { uploadFile } from '../services/uploads';

/** What people are told when an image cannot be taken. */
function reasonOf(error: unknown): string {
  if (error instanceof ImageError || error instanceof DiskError) return error.message;
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOSPC')
    return 'The disk that holds the shelf of images is full. Make room, then add the image again. Nothing else was changed, and the images that are there are whole.';
  return `The image could not be read: ${message}`;
}

/** Reads an image from end to end and puts it on the shelf. */
export async function shelve(context: Context, imageId: string): Promise<void> {
  const image = await untilRecorded(context, () => context.images.find(imageId));
  if (image?.state !== 'checking') return;
  // Whatever the queue says: the file is on another station's disk.
  if (image.station !== '' && image.station !== context.station) return;
  const folder = shelfFolder(context, imageId);
  const { largestGB, blockMiB } = await untilRecorded(context, () => context.settings.bench());
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
    const twin = await untilRecorded(context, () =>
      context.images.findByDigest(facts.rawSha256, context.station, imageId),
    );
    if (twin) {
      await rm(folder, { recursive: true, force: true });
      await untilRecorded(context, () =>
        context.images.fail(imageId, `This image is on the shelf already, as "${twin.title}".`),
      );
    } else
      await untilRecorded(context, () =>
        context.knex.transaction(async (db) => {
          if (!(await context.images.finish(imageId, facts, db))) return;
          const text = `Image "${image.title}" was checked and put on the shelf, SHA-256 ${facts.packedSha256}.`;
          await context.log.add([{ kind: 'image', text }], db);
        }),
      );
  } catch (error) {
    // The database went away for good, or the program stops: another try reads it anew.
    if (isOutage(error) || context.closing.aborted) throw error;
    const reason = reasonOf(error);
    await untilRecorded(context, () =>
      context.knex.transaction(async (db) => {
        if (!(await context.images.fail(imageId, reason, db))) return;
        const text = `Image "${image.title}" was refused: ${reason}`;
        await context.log.add([{ kind: 'image-refused', text }], db);
      }),
    );
  }
  context.events.send({ type: 'log' });
  // The file that was sent has done its work. Its place follows from the upload's id: no path from outside is removed.
  if (image.uploadId !== null) await rm(uploadFile(context, image.uploadId), { force: true });
  const now = await context.images.find(imageId);
  if (now) context.events.send({ type: 'image', image: now.view });
}

/** Images that an earlier version kept packed are read anew from that copy, or from where they came. */
export async function shelveAnew(context: Context): Promise<void> {
  for (const { id, facts, sourcePath } of await context.images.list()) {
    if (!facts || 'blockSize' in facts) continue;
    const folder = shelfFolder(context, id);
    const packed = join(folder, 'image');
    const moved = uploadFile(context, id);
    const kept = await access(packed).then(
      () => true,
      () => false,
    );
    if (kept) {
      await mkdir(dirname(moved), { recursive: true, mode: 0o700 });
      await rename(packed, moved);
    }
    await context.knex.transaction(async (db) => {
      await context.images.checkAgain(id, kept ? moved : sourcePath, kept ? id : null, db);
      await readImageSoon(context, id, db);
    });
  }
  // Those that were being read when the program stopped, whatever became of their jobs.
  for (const { id, state, station } of await context.images.list())
    if (state === 'checking' && (station === context.station || station === ''))
      await readImageSoon(context, id, context.knex);
}
