import { rm } from 'node:fs/promises';
import * as z from 'zod';
import { AddImageSchema, ImageSchema, SaveImageAboutSchema } from '@nest-mark/core';
import { once } from '../http/idempotency';
import { Problem } from '../http/problems';
import { IdSchema, route, type Route } from '../http/route';
import { record, shelfFolder } from '../services/context';
import { addImage } from '../services/images';

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
      if (await context.rounds.imageInUse(params.id))
        throw new Problem(409, 'image-in-use', 'The image is being written to cards. Wait for the end.');
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
