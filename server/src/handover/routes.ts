import { randomBytes, randomUUID } from 'node:crypto';
import * as z from 'zod';
import {
  batchCsv,
  bookmarks,
  CredentialsWantedSchema,
  CsvColumnSchema,
  DeviceIdsSchema,
  dnsmasqHosts,
  fileSlug,
  HandOverViewSchema,
  hostsFile,
  inventoryIni,
  inventoryYaml,
  iscHosts,
  isJumpHost,
  keaReservations,
  knownHosts,
  KnownHostsChangeSchema,
  KnownHostsPlaceSchema,
  LabelSizeSchema,
  LabelsWantedSchema,
  MergedKnownHostsSchema,
  MergeKnownHostsSchema,
  monitoringTargets,
  PaperSchema,
  RetirementSchema,
  SavedLabelSizeSchema,
  settingsOf,
  sshConfig,
  TakenOverSchema,
  usualColumns,
  VpnFileWantedSchema,
  VpnViewSchema,
  zoneLines,
  type HandoverDevice,
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
import { vpnFile, vpnView } from './vpn-files';

/** What a file may be asked for beside its name. */
const FileQuerySchema = z.object({
  /** Where the client will find the host keys. */
  knownHosts: z
    .string()
    .min(1)
    .max(4096)
    .regex(/^[^\r\n"]+$/)
    .optional(),
  hashed: z.enum(['yes', 'no']).default('no'),
  jump: z
    .string()
    .max(300)
    .refine((text) => text === '' || isJumpHost(text), {
      error: 'The computer in between is written as user@host:port, without blanks.',
    })
    .default(''),
  /** Columns of the table, with commas between them. */
  columns: z
    .string()
    .max(400)
    .transform((text) => text.split(','))
    .pipe(z.array(CsvColumnSchema).min(1))
    .optional(),
  port: z.coerce.number().int().min(1).max(65_535).default(9100),
});
type FileQuery = z.infer<typeof FileQuerySchema>;

interface ToolFile {
  type: string;
  name(slug: string): string;
  text(devices: readonly HandoverDevice[], query: FileQuery, slug: string): string;
}

const plain = 'text/plain';

/** Files for other tools. */
const toolFiles = {
  known_hosts: {
    type: plain,
    name: (slug) => `known_hosts.${slug}`,
    text: (devices, { hashed }) =>
      knownHosts(devices, { salt: hashed === 'yes' ? () => randomBytes(20) : null }),
  },
  ssh_config: {
    type: plain,
    name: (slug) => `ssh_config.${slug}`,
    text: (devices, query, slug) =>
      sshConfig(devices, {
        knownHostsFile: query.knownHosts ?? `~/.ssh/known_hosts.${slug}`,
        jump: query.jump,
      }),
  },
  'bookmarks.xbel': {
    type: 'application/xml',
    name: (slug) => `${slug}.xbel`,
    text: (devices, _query, slug) => bookmarks(devices, slug),
  },
  'batch.csv': {
    type: 'text/csv',
    name: (slug) => `${slug}.csv`,
    text: (devices, { columns }) => batchCsv(devices, columns ?? usualColumns),
  },
  'inventory.yml': { type: plain, name: (slug) => `${slug}.inventory.yml`, text: inventoryYaml },
  'inventory.ini': { type: plain, name: (slug) => `${slug}.inventory.ini`, text: inventoryIni },
  hosts: { type: plain, name: (slug) => `hosts.${slug}`, text: hostsFile },
  zone: { type: plain, name: (slug) => `${slug}.zone`, text: zoneLines },
  'dnsmasq.conf': { type: plain, name: (slug) => `${slug}.dnsmasq.conf`, text: dnsmasqHosts },
  'dhcpd.conf': { type: plain, name: (slug) => `${slug}.dhcpd.conf`, text: iscHosts },
  'kea.json': { type: plain, name: (slug) => `${slug}.kea.json`, text: keaReservations },
  'targets.json': {
    type: 'application/json',
    name: (slug) => `${slug}.targets.json`,
    text: (devices, { port }) => monitoringTargets(devices, port),
  },
} as const satisfies Record<string, ToolFile>;

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
