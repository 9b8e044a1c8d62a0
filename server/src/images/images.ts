import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { basename } from 'node:path';
import type { Knex } from 'knex';
import type * as z from 'zod';
import { publishedDigest, type AddImageSchema, type Image, type NewerImage } from '@nest-mark/core';
import { addressName, isNewer, packingOf, webAddress } from '@nest-mark/station';
import { problem, reasonOf } from '../platform/http/problems';
import { record } from '../platform/log/record';
import type { Images } from './domain';
import { shelfFolder } from './folder';
import { isAddress } from './address';
import { forgetAddress } from './from-address';

/** The files that a list names, as the end of a sentence. */
const listed = (names: readonly string[]): string =>
  names.length > 0 ? `, only ${names.slice(0, 5).join(', ')}` : '';

/** The published digest of a file as pasted or dropped beside it; empty where there is none. @throws Problem */
export function publishedFor(text: string, fileName: string): string {
  const published = publishedDigest(text, fileName);
  if (published && 'fault' in published)
    throw published.fault === 'form'
      ? problem('digest-form')
      : problem('digest-other-file', { file: fileName, names: listed(published.names) });
  return published?.digest ?? '';
}

/** An image that has arrived at a path of this machine. */
export interface NewImage {
  path: string;
  title: string;
  published: string;
  /** The upload that it came by, whose file is ours to remove; null for a file of the operator's. */
  uploadId: string | null;
  /** Who brought it, in words. */
  begunBy: string;
}

/** Puts the reading of an image into the queue; the database refuses to have it there twice. */
export const readImageSoon = (images: Images, imageId: string, begunBy: string, db: Knex): Promise<void> =>
  images.runs.begin({ id: randomUUID(), kind: 'image-reading', begunBy, items: [{ subject: imageId }] }, db);

/** Puts an image onto the shelf's queue, where it is read and checked. */
export async function takeImage(
  images: Images,
  { path, title, published, uploadId, begunBy }: NewImage,
): Promise<Image> {
  const id = randomUUID();
  await images.knex.transaction(async (db) => {
    const { station } = images;
    if (isAddress(path)) {
      // Of two who ask for one address at once the second one would write into the file of the first.
      await images.uploads.lockBeginning(db);
      if (await images.repository.isBeingRead(path, station, db)) throw problem('image-being-fetched');
    }
    await images.repository.create({ id, title, sourcePath: path, published, uploadId, station }, db);
    if (uploadId !== null && !(await images.uploads.became(uploadId, id, db)))
      throw new Error('an upload that is no image yet was one, or was forgotten');
    await readImageSoon(images, id, begunBy, db);
  });
  const image = await images.repository.find(id);
  if (!image) throw new Error('an image that was just added is missing');
  images.events.send({ type: 'image', image: image.view });
  return image.view;
}

/** Takes an image in by its path; it is checked by a job. @throws Problem when there is no such file */
export async function addImage(
  images: Images,
  body: z.infer<typeof AddImageSchema>,
  begunBy: string,
): Promise<Image> {
  if (isAddress(body.path)) return addFromAddress(images, body, begunBy);
  await packingOf(body.path).catch((error: unknown) => {
    throw problem('image-unreadable', { why: reasonOf(error) });
  });
  const name = basename(body.path);
  const published = publishedFor(body.sha256, name);
  return takeImage(images, {
    path: body.path,
    title: body.title || name,
    published,
    uploadId: null,
    begunBy,
  });
}

/** Takes an image in by its address; it is fetched by the job that reads it. @throws Problem when it is none */
async function addFromAddress(
  images: Images,
  body: z.infer<typeof AddImageSchema>,
  begunBy: string,
): Promise<Image> {
  let path: string;
  try {
    path = webAddress(body.path).href;
  } catch (error) {
    throw problem('image-unreadable', { why: reasonOf(error) });
  }
  const name = addressName(path);
  const published = publishedFor(body.sha256, name);
  return takeImage(images, { path, title: body.title || name, published, uploadId: null, begunBy });
}

/** Stops the fetching or reading of an image. @throws Problem when nobody is at it */
export async function stopReading(images: Images, id: string): Promise<void> {
  const run = await images.runs.repository.about('image-reading', id);
  if (!run || !(await images.runs.ask(run.id, 'cancel'))) throw problem('image-not-read');
}

/** Asks the server of an image's address whether it has another file by now. @throws Problem */
export async function lookForNewer(images: Images, id: string): Promise<NewerImage> {
  const image = await images.repository.find(id);
  if (!image) throw problem('image-missing');
  if (!image.facts?.origin) throw problem('image-no-address');
  try {
    return { newer: await isNewer(image.facts.origin, images.closing) };
  } catch (error) {
    throw problem('image-address', { why: reasonOf(error) });
  }
}

/**
 * Takes an image off the shelf. It is locked before anybody is asked whether it is needed: whoever arms a round holds it
 * until the round is on record.
 * @throws Problem when there is none, it is being read or written, or a plan names it
 */
export async function removeImage(images: Images, id: string): Promise<void> {
  const title = await images.knex.transaction(async (db) => {
    const image = await images.repository.lock(id, db);
    if (!image) throw problem('image-missing');
    if (image.state === 'checking') throw problem('image-checking');
    if (await images.inUse(id, db)) throw problem('image-in-use');
    const needed = await images.repository.neededBy(id, db);
    if (needed.length > 0) throw problem('image-needed', { plans: needed.join(', ') });
    await images.repository.remove(id, db);
    const { title, source_path: address } = image;
    if (isAddress(address)) await forgetAddress(images, address, db);
    return title;
  });
  await rm(shelfFolder(images, id), { recursive: true, force: true });
  await record(images, { kind: 'image-removed', text: `Image "${title}" was taken off the shelf.` });
}
