import * as z from 'zod';
import { BeginUploadSchema, UploadSchema } from '@nest-mark/core';
import { Problem } from '../http/problems';
import { IdSchema, route, type Route } from '../http/route';
import { addPiece, beginUpload, dropUpload, listUploads } from '../services/uploads';

export const uploadRoutes: Route[] = [
  route({
    method: 'get',
    path: '/uploads',
    summary: 'Files that have not arrived whole',
    answer: z.array(UploadSchema),
    run: ({ context }) => listUploads(context),
  }),
  route({
    method: 'post',
    path: '/uploads',
    summary: 'Begin to send an image, or find where the same file was broken off',
    body: BeginUploadSchema,
    answer: UploadSchema,
    run: ({ context, body }) => beginUpload(context, body),
  }),
  route({
    method: 'put',
    path: '/uploads/:id',
    summary: 'Send the next piece as application/octet-stream; with the last one the file becomes an image',
    params: IdSchema,
    query: z.object({ offset: z.coerce.number().int().min(0) }),
    answer: UploadSchema,
    run: ({ context, params, query, request }) => {
      const piece: unknown = request.body;
      if (!Buffer.isBuffer(piece) || piece.length === 0)
        throw new Problem(400, 'not-octets', 'Send the piece as application/octet-stream.');
      return addPiece(context, params.id, query.offset, piece);
    },
  }),
  route({
    method: 'delete',
    path: '/uploads/:id',
    summary: 'Forget an upload and what has arrived of it',
    params: IdSchema,
    run: ({ context, params }) => dropUpload(context, params.id),
  }),
];
