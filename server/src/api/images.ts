import { randomUUID } from 'node:crypto';
import { rm } from 'node:fs/promises';
import { basename } from 'node:path';
import * as z from 'zod';
import {
  AddImageSchema,
  ImageSchema,
  publishedDigest,
  SaveImageAboutSchema,
  type Image,
} from '@nest-mark/core';
import { packingOf } from '@nest-mark/station';
import { once } from '../http/idempotency';
import { Problem } from '../http/problems';
import { IdSchema, route, type Route } from '../http/route';
import { addJob } from '../jobs/queue';
import { record, shelfFolder, type Context } from '../services/context';

/** Takes an image in; it is checked by a job. @throws Problem when there is no such file */
export async function addImage(context: Context, body: z.infer<typeof AddImageSchema>): Promise<Image> {
  await packingOf(body.path).catch((error: unknown) => {
    throw new Problem(422, 'image-unreadable', error instanceof Error ? error.message : String(error));
  });
  const published = publishedDigest(body.sha256, basename(body.path));
  if (published && 'fault' in published)
    throw new Problem(
      422,
      `digest-${published.fault}`,
      published.fault === 'form'
        ? 'The published SHA-256 is none: it has 64 hexadecimal digits. Paste the digits, or the whole list that they stand in.'
        : `The published list does not name ${basename(body.path)}${published.names.length > 0 ? `, only ${published.names.slice(0, 5).join(', ')}` : ''}. Paste the line of this file.`,
    );
  const id = randomUUID();
  const title = body.title || basename(body.path);
  await context.knex.transaction(async (db) => {
    await context.images.create({ id, title, sourcePath: body.path, published: published?.digest ?? '' }, db);
    // Reading an image twice does no harm, so a killed server may try again.
    await addJob(db, 'shelve-image', { imageId: id }, 3);
  });
  const image = await context.images.find(id);
  if (!image) throw new Error('an image that was just added is missing');
  context.events.send({ type: 'image', image: image.view });
  return image.view;
}

export const imageRoutes: Route[] = [
  route({
    method: 'get',
    path: '/images',
    summary: 'The shelf of images',
    answer: z.array(ImageSchema),
    run: async ({ context }) => (await context.images.list()).map((image) => image.view),
  }),
  route({
    method: 'post',
    path: '/images',
    summary: 'Put an image on the shelf by its path on this machine',
    body: AddImageSchema,
    answer: ImageSchema,
    status: 201,
    run: ({ context, body, request }) => once(context, request, () => addImage(context, body)),
  }),
  route({
    method: 'put',
    path: '/images/:id/about',
    summary: 'Say what an image is; its octets do not tell for sure',
    params: IdSchema,
    body: SaveImageAboutSchema,
    answer: ImageSchema,
    run: async ({ context, params, body }) => {
      await context.images.describe(params.id, body.title, body.about);
      const image = await context.images.find(params.id);
      if (!image) throw new Problem(404, 'image-missing', 'There is no such image on the shelf.');
      context.events.send({ type: 'image', image: image.view });
      return image.view;
    },
  }),
  route({
    method: 'delete',
    path: '/images/:id',
    summary: 'Take an image off the shelf',
    params: IdSchema,
    run: async ({ context, params }) => {
      const image = await context.images.find(params.id);
      if (!image) throw new Problem(404, 'image-missing', 'There is no such image on the shelf.');
      if (image.state === 'checking')
        throw new Problem(409, 'image-checking', 'The image is being checked. Wait for the end.');
      const needed = await context.images.neededBy(params.id);
      if (needed.length > 0)
        throw new Problem(
          409,
          'image-needed',
          `The image stays: it is needed by ${needed.join(', ')}. Choose another image there first.`,
        );
      await context.images.remove(params.id);
      await rm(shelfFolder(context, params.id), { recursive: true, force: true });
      await record(context, {
        kind: 'image-removed',
        text: `Image "${image.title}" was taken off the shelf.`,
      });
    },
  }),
];
