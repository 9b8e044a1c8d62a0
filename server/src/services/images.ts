import { randomUUID } from 'node:crypto';
import { basename } from 'node:path';
import type { Knex } from 'knex';
import type * as z from 'zod';
import { publishedDigest, type AddImageSchema, type Image } from '@nest-mark/core';
import { packingOf } from '@nest-mark/station';
import { Problem } from '../http/problems';
import { addJob } from '../jobs/queue';
import type { Context } from './context';

/** The published digest of a file as pasted or dropped beside it; empty where there is none. @throws Problem */
export function publishedFor(text: string, fileName: string): string {
  const published = publishedDigest(text, fileName);
  if (published && 'fault' in published)
    throw new Problem(
      422,
      `digest-${published.fault}`,
      published.fault === 'form'
        ? 'The published SHA-256 is none: it has 64 hexadecimal digits. Paste the digits, or the whole list that they stand in.'
        : `The published list does not name ${fileName}${published.names.length > 0 ? `, only ${published.names.slice(0, 5).join(', ')}` : ''}. Paste the line of this file.`,
    );
  return published?.digest ?? '';
}

/** An image that has arrived at a path of this machine. */
export interface NewImage {
  path: string;
  title: string;
  published: string;
  /** The upload that it came by, whose file is ours to remove; null for a file of the operator's. */
  uploadId: string | null;
}

/** Puts the reading of an image into the queue, once. It does no harm twice, so a killed server may try again. */
export const readImageSoon = (context: Context, imageId: string, db: Knex): Promise<void> =>
  addJob(
    db,
    context.station,
    'shelve-image',
    { imageId },
    { maxAttempts: 3, key: `shelve ${imageId}@${context.station}` },
  );

/** Puts an image onto the shelf's queue, where it is read and checked. */
export async function takeImage(
  context: Context,
  { path, title, published, uploadId }: NewImage,
): Promise<Image> {
  const id = randomUUID();
  await context.knex.transaction(async (db) => {
    // Of two who bring the last piece at once one finds it taken.
    if (uploadId !== null && !(await context.uploads.remove(uploadId, db)))
      throw new Problem(409, 'upload-taken', 'This file has arrived already, and is on the shelf.');
    const { station } = context;
    await context.images.create({ id, title, sourcePath: path, published, uploadId, station }, db);
    await readImageSoon(context, id, db);
  });
  const image = await context.images.find(id);
  if (!image) throw new Error('an image that was just added is missing');
  context.events.send({ type: 'image', image: image.view });
  return image.view;
}

/** Takes an image in by its path; it is checked by a job. @throws Problem when there is no such file */
export async function addImage(context: Context, body: z.infer<typeof AddImageSchema>): Promise<Image> {
  await packingOf(body.path).catch((error: unknown) => {
    throw new Problem(422, 'image-unreadable', error instanceof Error ? error.message : String(error));
  });
  const name = basename(body.path);
  const published = publishedFor(body.sha256, name);
  return takeImage(context, { path: body.path, title: body.title || name, published, uploadId: null });
}
