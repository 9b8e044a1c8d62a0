import type { Server } from '@tus/server';
import * as z from 'zod';
import { UploadSchema, type ProblemCode } from '@nest-mark/core';
import { IdSchema, route, type Route } from '../platform/http/route';
import type { Images } from './domain';
import { listUploads } from './uploads';

const always = ['upload-protocol'] as const satisfies readonly ProblemCode[];
const known = [...always, 'upload-missing', 'upload-place'] as const satisfies readonly ProblemCode[];
const taken = ['upload-long', 'upload-disk-full'] as const satisfies readonly ProblemCode[];

/** Files are sent by the tus resumable upload protocol 1.0.0, which any program that speaks it can use. */
export function uploadRoutes(images: Images): Route[] {
  let protocol: Promise<Server> | null = null;
  /** Loaded with the first file that is sent, which is seldom. */
  const spoken = (): Promise<Server> =>
    (protocol ??= import('./upload-protocol').then(({ uploadProtocol }) =>
      uploadProtocol(images, '/api/uploads'),
    ));
  const run: Route['run'] = async ({ request, response }) => (await spoken()).handle(request, response);
  return [
    route({
      method: 'get',
      path: '/uploads',
      summary: 'Files that have not arrived whole',
      answer: z.array(UploadSchema),
      run: () => listUploads(images),
    }),
    route({
      method: 'options',
      path: '/uploads',
      summary: 'Which parts of the tus protocol are spoken (tus 1.0.0)',
      problems: always,
      run,
    }),
    route({
      method: 'post',
      path: '/uploads',
      summary:
        'Begin to send an image, or find where the same file was broken off (tus 1.0.0, creation): Upload-Length, and in Upload-Metadata filename, and perhaps modified, title, sha256',
      problems: [
        ...always,
        ...taken,
        'invalid',
        'upload-place',
        'digest-form',
        'digest-other-file',
        'upload-no-room',
      ],
      run,
    }),
    route({
      method: 'head',
      path: '/uploads/:id',
      summary: 'How much of a file has arrived (tus 1.0.0)',
      params: IdSchema,
      problems: known,
      run,
    }),
    route({
      method: 'patch',
      path: '/uploads/:id',
      summary: 'Send what follows; with the last octet the file becomes an image (tus 1.0.0)',
      params: IdSchema,
      problems: [...known, ...taken],
      run,
    }),
    route({
      method: 'delete',
      path: '/uploads/:id',
      summary: 'Forget an upload and what has arrived of it (tus 1.0.0, termination)',
      params: IdSchema,
      problems: known,
      run,
    }),
  ];
}
