import { access, mkdir, rename, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { DiskError } from '@nest-mark/core';
import {
  forgetFetched,
  forgetRootWork,
  ImageError,
  lookOnShelf,
  shelveImage,
  usualLimits,
  type Origin,
  type ShelfLimits,
  type ShelvedImage,
} from '@nest-mark/station';
import { isOutage } from '../platform/database/outage';
import { untilRecorded } from '../platform/queue/until-recorded';
import type { KindOfRun, RunEnd, RunHandle } from '../platform/runs/runs';
import type { Images } from './domain';
import { shelfFolder } from './folder';
import { isAddress } from './address';
import { fetchedFile, fetchForShelf, forgetAddress } from './from-address';
import { readImageSoon } from './images';
import type { StoredImage } from './repository';
import { uploadFile } from './uploads';

/** Milliseconds between two words about how far it is. */
const TELL_EVERY = 500;

/** What people are told when an image cannot be taken. */
function refusalOf(error: unknown): string {
  if (error instanceof ImageError || error instanceof DiskError) return error.message;
  const { code, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOSPC')
    return 'The disk that holds the shelf of images is full. Make room, then add the image again. Nothing else was changed, and the images that are there are whole.';
  return `The image could not be read: ${message}`;
}

/** Notes why an image was refused, once. */
const refuse = (images: Images, image: StoredImage, reason: string): Promise<void> =>
  untilRecorded(images, () =>
    images.knex.transaction(async (db) => {
      if (!(await images.repository.fail(image.id, reason, db))) return;
      const text = `Image "${image.title}" was refused: ${reason}`;
      await images.log.add([{ kind: 'image-refused', text }], db);
    }),
  );

/** Where the octets of an image lie: at its path, or where they were put after they came from its address. */
async function sourceOf(
  images: Images,
  image: StoredImage,
  limits: ShelfLimits,
  signal: AbortSignal,
  runId: string,
): Promise<{ path: string; published: string; origin?: Origin }> {
  const { id, sourcePath, published, view } = image;
  if (!isAddress(sourcePath)) return { path: sourcePath, published };
  await untilRecorded(images, () => images.runs.repository.step(runId, id, 'fetching'));
  let told = { at: Date.now(), received: 0 };
  let rate = 0;
  return fetchForShelf(images, sourcePath, published, limits, signal, ({ received, total }) => {
    const now = Date.now();
    if (now - told.at < TELL_EVERY) return;
    const recent = (Math.max(0, received - told.received) * 1000) / (now - told.at);
    rate = rate === 0 ? recent : rate * 0.7 + recent * 0.3;
    told = { at: now, received };
    images.runs.repository.advance(runId, id, received).catch(() => undefined);
    images.events.tell({ type: 'image', image: { ...view, fetched: { received, total, rate } } });
  });
}

/** Reads an image from end to end and puts it on the shelf. @returns why it was refused; empty when it was not */
async function shelve(images: Images, image: StoredImage, { run, control }: RunHandle): Promise<string> {
  const { id } = image;
  const folder = shelfFolder(images, id);
  const { largestGB, blockMiB } = await untilRecorded(images, () => images.settings.repository.station());
  const limits = { ...usualLimits, largest: largestGB * 1e9, blockSize: blockMiB << 20 };
  let told = Date.now();
  const onProgress = (octets: number): void => {
    if (Date.now() - told < TELL_EVERY) return;
    told = Date.now();
    images.runs.repository.advance(run.id, id, octets).catch(() => undefined);
    images.events.tell({ type: 'image', image: { ...image.view, unpacked: octets } });
  };
  try {
    const from = await sourceOf(images, image, limits, control.signal, run.id);
    await untilRecorded(images, () => images.runs.repository.step(run.id, id, 'reading'));
    // A killed server may have left half a copy.
    await rm(folder, { recursive: true, force: true });
    const read = await shelveImage(from.path, folder, from.published, onProgress, limits, control.signal);
    const facts = from.origin ? { ...read, origin: from.origin } : read;
    const twin = await untilRecorded(images, () =>
      images.repository.findByDigest(facts.rawSha256, images.station, id),
    );
    if (twin) {
      const reason = `This image is on the shelf already, as "${twin.title}".`;
      await rm(folder, { recursive: true, force: true });
      await untilRecorded(images, () => images.repository.fail(id, reason));
      return reason;
    }
    await untilRecorded(images, () =>
      images.knex.transaction(async (db) => {
        if (!(await images.repository.finish(id, facts, db))) return;
        const text = `Image "${image.title}" was checked and put on the shelf, SHA-256 ${facts.packedSha256}.`;
        await images.log.add([{ kind: 'image', text }], db);
      }),
    );
    return '';
  } catch (error) {
    // The database went away for good, or the program stops: the next start reads it anew.
    if (isOutage(error) || images.closing.aborted) throw error;
    const reason = refusalOf(error);
    // What arrived and is not what was published never will be.
    if (isAddress(image.sourcePath) && error instanceof ImageError && error.code === 'digest')
      await forgetFetched(fetchedFile(images, image.sourcePath));
    await refuse(images, image, reason);
    return reason;
  }
}

/** The run that reads an image. It does no harm twice, so a program that was killed tries again. */
export const imageReading = (images: Images): KindOfRun => ({
  kind: 'image-reading',
  afterKill: 'again',
  async work(handle): Promise<RunEnd> {
    const [item] = await untilRecorded(images, () => images.runs.repository.items(handle.run.id));
    const image = item && (await untilRecorded(images, () => images.repository.find(item.subject)));
    if (image?.state !== 'checking') return { state: 'done', reason: '' };
    const reason = await shelve(images, image, handle);
    images.events.send({ type: 'log' });
    // The file that was sent has done its work. Its place follows from the upload's id: no path from outside is removed.
    if (image.uploadId !== null) await rm(uploadFile(images, image.uploadId), { force: true });
    if (isAddress(image.sourcePath) && reason === '')
      await untilRecorded(images, () =>
        images.knex.transaction((db) => forgetAddress(images, image.sourcePath, db)),
      );
    const now = await images.repository.find(image.id).catch(() => null);
    if (now) images.events.send({ type: 'image', image: now.view });
    return { state: reason === '' ? 'done' : 'failed', reason };
  },
  async interrupted(run, db) {
    const reason =
      'The program stopped three times while it read this image. Look at the file, then add it again.';
    for (const { subject } of await images.runs.repository.items(run.id))
      await images.repository.fail(subject, reason, db);
    return reason;
  },
});

/** Looks at the system of an image that an earlier version put on the shelf; what cannot be read is left as it is. */
async function lookAgain(images: Images, id: string, facts: ShelvedImage): Promise<void> {
  const folder = shelfFolder(images, id);
  const { system = null } =
    (await lookOnShelf(folder, facts.partitions, facts.bootPartition ?? null).catch(() => null)) ?? {};
  if (!system) return;
  await images.repository.learnSystem(id, system);
  const now = await images.repository.find(id);
  if (now) images.events.send({ type: 'image', image: now.view });
}

/**
 * At the start: images that an earlier version kept packed are read anew from that copy, or from where they came, and
 * so is what nobody is reading although it waits for that. What was left of cards' files by a kill goes.
 */
export async function readLeftImages(images: Images): Promise<void> {
  for (const { id, state, facts, sourcePath, station } of await images.repository.list()) {
    if (station !== images.station && station !== '') continue;
    await forgetRootWork(shelfFolder(images, id));
    const old = facts !== null && !('blockSize' in facts);
    if (!old && state === 'ready' && facts && !facts.system) await lookAgain(images, id, facts);
    if (!old && state !== 'checking') continue;
    if (await images.runs.repository.about('image-reading', id)) continue;
    const packed = join(shelfFolder(images, id), 'image');
    const moved = uploadFile(images, id);
    const kept =
      old &&
      (await access(packed).then(
        () => true,
        () => false,
      ));
    if (kept) {
      await mkdir(dirname(moved), { recursive: true, mode: 0o700 });
      await rename(packed, moved);
    }
    await images.knex.transaction(async (db) => {
      if (old) await images.repository.checkAgain(id, kept ? moved : sourcePath, kept ? id : null, db);
      await readImageSoon(images, id, 'the start of the program', db);
    });
  }
}
