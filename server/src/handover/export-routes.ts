import * as z from 'zod';
import { CardFilesSchema, ExportCardSchema, ExportedCardSchema, ShowCardFilesSchema } from '@nest-mark/core';
import { route, type Route } from '../platform/http/route';
import { cardFiles } from '../cards';
import { exportBy, prepareExport } from './export-card';
import type { HandOver } from './domain';

export const exportRoutes = (handover: HandOver): Route[] => [
  route({
    method: 'post',
    path: '/batches/:id/devices/:deviceId/files',
    summary:
      'The first-boot files of a device as they will be written; with secrets only when asked, which is logged',
    params: z.object({ id: z.uuid(), deviceId: z.uuid() }),
    body: ShowCardFilesSchema,
    answer: CardFilesSchema,
    problems: ['batch-missing', 'device-missing', 'image-not-chosen', 'files-not-ready'],
    run: ({ params, body }) => cardFiles(handover.cards, params.id, params.deviceId, body.reveal),
  }),
  route({
    method: 'post',
    path: '/batches/:id/devices/:deviceId/export',
    summary: 'Make a device’s card, or only its first-boot files, ready to be fetched as a file; logged',
    params: z.object({ id: z.uuid(), deviceId: z.uuid() }),
    body: ExportCardSchema,
    answer: ExportedCardSchema,
    status: 201,
    problems: ['batch-missing', 'device-missing', 'plan-stops', 'card-not-ready'],
    run: ({ params, body }) => prepareExport(handover, params.id, params.deviceId, body.form),
  }),
  route({
    method: 'get',
    path: '/exports/:token',
    summary: 'Fetch what was made ready',
    params: z.object({ token: z.uuid() }),
    problems: ['export-gone'],
    run: async ({ params, response }) => {
      const prepared = exportBy(params.token);
      response.set('Content-Type', 'application/octet-stream');
      response.set('Content-Disposition', `attachment; filename="${prepared.fileName}"`);
      try {
        await prepared.send(response);
      } catch (error) {
        // The status line is gone already: only a torn connection tells that the file is not whole.
        response.destroy(error instanceof Error ? error : undefined);
      }
    },
  }),
];
