import { randomUUID } from 'node:crypto';
import * as z from 'zod';
import {
  CredentialsWantedSchema,
  DeviceIdsSchema,
  fileSlug,
  HandOverViewSchema,
  KnownHostsChangeSchema,
  KnownHostsPlaceSchema,
  LabelSizeSchema,
  LabelsWantedSchema,
  MergedKnownHostsSchema,
  MergeKnownHostsSchema,
  PaperSchema,
  RetirementSchema,
  SavedLabelSizeSchema,
  settingsOf,
  TakenOverSchema,
  VpnFileWantedSchema,
  VpnViewSchema,
} from '@nest-mark/core';
import { needBatch, sharedPassword } from '../plans';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import { record } from '../platform/log/record';
import { credentialsFile } from './credentials';
import type { HandOver } from './domain';
import { gather } from './gather';
import { send } from './handed-file';
import { handOver } from './handed-over';
import { lookAtKnownHosts, mergeIntoFile } from './known-hosts-file';
import { labelPages, needLetters } from './labels';
import { pdfOf } from './paper/pdf';
import { closeRetired, exported, takeOver } from './taken-over';
import { FileQuerySchema, toolFiles, type ToolFile } from './tool-files';
import { vpnFile, vpnView } from './vpn-files';

const FileSchema = IdSchema.extend({
  file: z.enum(Object.keys(toolFiles) as [keyof typeof toolFiles, ...(keyof typeof toolFiles)[]]),
});

export const handOverRoutes = (handover: HandOver): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/hand-over',
    summary: 'How handing over stands, and the sizes of labels that were saved',
    params: IdSchema,
    answer: HandOverViewSchema,
    problems: ['batch-missing'],
    run: async ({ params }) => {
      const { plan } = await needBatch(handover.plans, params.id);
      const shared =
        plan.access.passwordScope === 'shared' ? await sharedPassword(handover.plans, params.id) : null;
      const handed = new Map(
        (await handover.repository.handed(params.id)).map((entry) => [entry.deviceId, entry]),
      );
      return {
        devices: plan.devices.map((device) => {
          const entry = handed.get(device.id);
          const gone = entry?.secretsForgottenAt ?? null;
          return {
            deviceId: device.id,
            takenOver: entry?.takenOver ?? null,
            secretsForgottenAt: gone,
            hasPassword:
              gone === null &&
              settingsOf(plan, device).passwordLogin &&
              (plan.access.passwordScope === 'each' || shared !== null),
          };
        }),
        labelSizes: await handover.repository.labelSizes(),
      };
    },
  }),
  route({
    method: 'get',
    path: '/batches/:id/hand-over/:file',
    summary: 'A file for other tools; knownHosts names where the client will find the host keys',
    params: FileSchema,
    query: FileQuerySchema,
    problems: ['batch-missing'],
    run: async ({ params, query, response, who }) => {
      const { slug, devices } = await gather(handover, params.id);
      const file: ToolFile = toolFiles[params.file];
      const fileName = file.name(slug);
      const content = file.text(devices, query, slug);
      await exported(handover, params.id, fileName, who);
      send(response, { fileName, type: file.type, content });
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/hand-over/known-hosts/look',
    summary: 'What merging the host keys into a file of this computer would change',
    params: IdSchema,
    body: KnownHostsPlaceSchema,
    answer: KnownHostsChangeSchema,
    problems: ['batch-missing', 'known-hosts-file'],
    run: async ({ params, body }) => lookAtKnownHosts(body, (await gather(handover, params.id)).devices),
  }),
  route({
    method: 'post',
    path: '/batches/:id/hand-over/known-hosts/merge',
    summary: 'Merge the host keys into the file that was looked at; the file as it was is kept beside it',
    params: IdSchema,
    body: MergeKnownHostsSchema,
    answer: MergedKnownHostsSchema,
    problems: ['batch-missing', 'known-hosts-file', 'known-hosts-changed'],
    run: async ({ params, body, who }) => {
      const { devices } = await gather(handover, params.id);
      const merged = await mergeIntoFile(body, body.digest, devices);
      if (merged.added + merged.removed > 0)
        await record(handover, {
          kind: 'exported',
          batchId: params.id,
          text: `Host keys were merged into ${merged.path}: ${String(merged.added)} lines put in, ${String(merged.removed)} of ours taken out${merged.backup === null ? '' : `; the file as it was is ${merged.backup}`}. Asked for by ${who}.`,
        });
      return merged;
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/hand-over/labels',
    summary: 'Labels as they will be printed, page by page',
    params: IdSchema,
    body: LabelsWantedSchema,
    answer: PaperSchema,
    problems: ['batch-missing', 'label-size'],
    run: async ({ params, body }) =>
      labelPages(params.id, (await needBatch(handover.plans, params.id)).plan, body),
  }),
  route({
    method: 'post',
    path: '/batches/:id/hand-over/labels.pdf',
    summary: 'Labels as a PDF with the shipped type',
    params: IdSchema,
    body: LabelsWantedSchema,
    problems: ['batch-missing', 'label-size', 'letters-missing'],
    run: async ({ params, body, response, who }) => {
      const { plan } = await needBatch(handover.plans, params.id);
      const { pages } = labelPages(params.id, plan, body);
      needLetters(pages);
      const fileName = `labels.${fileSlug(plan.name)}.pdf`;
      const content = await pdfOf(pages, `Labels of ${plan.name}`);
      await exported(handover, params.id, fileName, who);
      send(response, { fileName, type: 'application/pdf', content });
    },
  }),
  route({
    method: 'post',
    path: '/label-sizes',
    summary: 'Save a size of labels; one of the same title is replaced',
    body: LabelSizeSchema,
    answer: SavedLabelSizeSchema,
    run: ({ body }) => handover.repository.saveLabelSize(randomUUID(), body),
  }),
  route({
    method: 'delete',
    path: '/label-sizes/:id',
    summary: 'Forget a saved size of labels',
    params: IdSchema,
    problems: ['label-size-missing'],
    run: async ({ params }) => {
      if (!(await handover.repository.removeLabelSize(params.id))) throw problem('label-size-missing');
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/hand-over/credentials',
    summary:
      'Credentials on slips of paper, as a table for a password manager, or sealed; logged for each device',
    params: IdSchema,
    body: CredentialsWantedSchema,
    problems: ['batch-missing', 'no-credentials', 'recipient-unknown', 'letters-missing'],
    run: async ({ params, body, response, who }) =>
      send(response, await credentialsFile(handover, params.id, body, who)),
  }),
  route({
    method: 'get',
    path: '/batches/:id/hand-over/vpn/places',
    summary: 'Where the devices are in the VPN of the batch',
    params: IdSchema,
    answer: VpnViewSchema,
    problems: ['batch-missing'],
    run: ({ params }) => vpnView(handover, params.id),
  }),
  route({
    method: 'post',
    path: '/batches/:id/hand-over/vpn',
    summary: 'The VPN’s file of the hub, or of one device, with its secret; logged',
    params: IdSchema,
    body: VpnFileWantedSchema,
    problems: ['batch-missing', 'device-missing', 'vpn-not-ready'],
    run: async ({ params, body, response, who }) =>
      send(response, await vpnFile(handover, params.id, body.deviceId, who)),
  }),
  route({
    method: 'post',
    path: '/batches/:id/handed-over',
    summary: 'Note that devices were handed over now',
    params: IdSchema,
    body: DeviceIdsSchema,
    problems: ['batch-missing', 'card-copied'],
    run: ({ params, body }) => handOver(handover, params.id, body.deviceIds),
  }),
  route({
    method: 'post',
    path: '/batches/:id/taken-over',
    summary: 'Note who took devices over; the bench forgets their secrets if asked',
    params: IdSchema,
    body: TakenOverSchema,
    problems: ['batch-missing', 'device-missing', 'card-copied', 'not-handed-over', 'device-at-work'],
    run: ({ params, body, who }) => takeOver(handover, params.id, body, who),
  }),
  route({
    method: 'post',
    path: '/batches/:id/devices/:deviceId/retirement',
    summary: 'Note why a device was retired, and destroy its secrets here if asked',
    params: IdSchema.extend({ deviceId: z.uuid() }),
    body: RetirementSchema,
    problems: ['not-retired', 'device-at-work'],
    run: ({ params, body, who }) => closeRetired(handover, params.id, params.deviceId, body, who),
  }),
];
