import * as z from 'zod';
import { AddImageSchema, ImageSchema, NewerImageSchema, SaveImageAboutSchema } from '@nest-mark/core';
import { once, onceProblems } from '../platform/idempotency/once';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import type { Images } from './domain';
import { describeImage } from './describe';
import { addImage, lookForNewer, removeImage, stopReading } from './images';

export const imageRoutes = (images: Images): Route[] => [
  route({
    method: 'get',
    path: '/images',
    summary: 'The shelf of images',
    answer: z.array(ImageSchema),
    run: async () => (await images.repository.list()).map((image) => image.view),
  }),
  route({
    method: 'post',
    path: '/images',
    summary: 'Put an image on the shelf by its path on this machine, or by its address in the web',
    body: AddImageSchema,
    answer: ImageSchema,
    status: 201,
    problems: [
      ...onceProblems,
      'image-unreadable',
      'digest-form',
      'digest-other-file',
      'image-being-fetched',
    ],
    run: ({ body, request, who }) => once(images, request, () => addImage(images, body, who)),
  }),
  route({
    method: 'put',
    path: '/images/:id/about',
    summary: 'Say what an image is; its octets do not tell for sure',
    params: IdSchema,
    body: SaveImageAboutSchema,
    answer: ImageSchema,
    problems: ['image-missing', 'method-missing', 'image-partition', 'image-elsewhere', 'image-in-use'],
    run: async ({ params, body }) => {
      await describeImage(images, params.id, body);
      const image = await images.repository.find(params.id);
      if (!image) throw problem('image-missing');
      images.events.send({ type: 'image', image: image.view });
      // Which images take a method stands with it.
      images.events.send({ type: 'methods' });
      return image.view;
    },
  }),
  route({
    method: 'post',
    path: '/images/:id/stop',
    summary: 'Stop the fetching or reading of an image',
    params: IdSchema,
    problems: ['image-not-read'],
    run: ({ params }) => stopReading(images, params.id),
  }),
  route({
    method: 'post',
    path: '/images/:id/newer',
    summary: 'Ask the server of an image’s address whether it has another file by now',
    params: IdSchema,
    answer: NewerImageSchema,
    problems: ['image-missing', 'image-no-address', 'image-address'],
    run: ({ params }) => lookForNewer(images, params.id),
  }),
  route({
    method: 'delete',
    path: '/images/:id',
    summary: 'Take an image off the shelf',
    params: IdSchema,
    problems: ['image-missing', 'image-checking', 'image-in-use', 'image-needed'],
    run: ({ params }) => removeImage(images, params.id),
  }),
];
