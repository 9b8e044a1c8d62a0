import * as z from 'zod';
import { BeginUploadSchema, UploadSchema } from '@nest-mark/core';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import { addPiece, beginUpload, dropUpload, listUploads } from './uploads';
import type { Images } from './domain';

export const uploadRoutes = (images: Images): Route[] => [
  route({
    method: 'get',
    path: '/uploads',
    summary: 'Files that have not arrived whole',
    answer: z.array(UploadSchema),
    run: () => listUploads(images),
  }),
  route({
    method: 'post',
    path: '/uploads',
    summary: 'Begin to send an image, or find where the same file was broken off',
    body: BeginUploadSchema,
    answer: UploadSchema,
    problems: ['digest-form', 'digest-other-file', 'upload-no-room', 'upload-taken'],
    run: ({ body }) => beginUpload(images, body),
  }),
  route({
    method: 'put',
    path: '/uploads/:id',
    summary: 'Send the next piece as application/octet-stream; with the last one the file becomes an image',
    params: IdSchema,
    query: z.object({ offset: z.coerce.number().int().min(0) }),
    answer: UploadSchema,
    problems: [
      'not-octets',
      'upload-missing',
      'upload-place',
      'upload-long',
      'upload-disk-full',
      'upload-taken',
    ],
    run: ({ params, query, request }) => {
      const piece: unknown = request.body;
      if (!Buffer.isBuffer(piece) || piece.length === 0) throw problem('not-octets');
      return addPiece(images, params.id, query.offset, piece);
    },
  }),
  route({
    method: 'delete',
    path: '/uploads/:id',
    summary: 'Forget an upload and what has arrived of it',
    params: IdSchema,
    problems: ['upload-missing'],
    run: ({ params }) => dropUpload(images, params.id),
  }),
];
