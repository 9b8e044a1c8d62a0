import * as z from 'zod';
import { handOver } from './handed-over';
import {
  DeviceIdsSchema,
  deviceFacts,
  fileSlug,
  batchCsv,
  settingsOf,
  deviceStanding,
  keepsBenchKey,
  knownHosts,
  sshConfig,
  type CsvDevice,
  type LoginTarget,
} from '@nest-mark/core';
import { IdSchema, route, type Route } from '../platform/http/route';
import { record } from '../platform/log/record';
import type { HandOver } from './domain';
import { needBatch } from '../plans';
import { batchProgress } from '../finding';

async function gather(
  handover: HandOver,
  batchId: string,
): Promise<{ name: string; targets: LoginTarget[]; csv: CsvDevice[] }> {
  const { plan } = await needBatch(handover.plans, batchId);
  const { devices, arrivals } = await batchProgress(handover.finding, batchId);
  const progress = new Map(devices.map((entry) => [entry.deviceId, entry]));
  const records = new Map(
    (await handover.plans.repository.records(batchId)).map((entry) => [entry.deviceId, entry]),
  );
  const boards = await handover.plans.boards.repository.list();
  const targets: LoginTarget[] = [];
  const csv = plan.devices.map((device): CsvDevice => {
    const { userName } = settingsOf(plan, device);
    const entry = progress.get(device.id);
    // Only a proof gives an address out; a guess could send a login to somebody else, and so could a copied card.
    const copies = entry?.seen?.alsoAt ?? [];
    const proved = entry?.seen?.standing === 'proved' && copies.length === 0 ? entry.seen : null;
    const hostKey = records.get(device.id)?.hostKey;
    if (hostKey)
      targets.push({
        hostName: device.hostName,
        mark: device.mark,
        hostKey,
        address: proved?.address ?? null,
        port: proved?.port ?? plan.network.port,
        userName,
        copiedTo: copies.length > 0 && entry?.seen ? [entry.seen.address, ...copies] : [],
      });
    const facts = deviceFacts(plan, device, entry ?? null, boards, arrivals);
    return {
      nest: device.nest,
      mark: device.mark,
      hostName: device.hostName,
      role: device.role,
      state: deviceStanding(facts, Date.now()).state,
      address: proved?.address ?? '',
      hardwareAddress: proved?.hardwareAddress ?? '',
      hostKeyFingerprint: entry?.fingerprint ?? '',
      userName,
      remark:
        copies.length > 0 && entry?.seen
          ? `its card was copied: its key signs at ${[entry.seen.address, ...copies].join(' and ')}`
          : keepsBenchKey(plan.bringUp.benchKey, entry ?? { seen: null })
            ? 'the bench’s key was not taken off it'
            : '',
    };
  });
  return { name: fileSlug(plan.name), targets, csv };
}

const FileSchema = IdSchema.extend({ file: z.enum(['known_hosts', 'ssh_config', 'batch.csv']) });

export const handOverRoutes = (handover: HandOver): Route[] => [
  route({
    method: 'get',
    path: '/batches/:id/hand-over/:file',
    summary: 'A file for other tools; knownHosts names where the client will find the host keys',
    params: FileSchema,
    query: z.object({
      knownHosts: z
        .string()
        .min(1)
        .max(4096)
        .regex(/^[^\r\n"]+$/)
        .optional(),
    }),
    problems: ['batch-missing'],
    run: async ({ params, query, response }) => {
      const { name, targets, csv } = await gather(handover, params.id);
      const files = {
        known_hosts: () => ({ fileName: `known_hosts.${name}`, text: knownHosts(targets) }),
        ssh_config: () => ({
          fileName: `ssh_config.${name}`,
          text: sshConfig(targets, query.knownHosts ?? `~/.ssh/known_hosts.${name}`),
        }),
        'batch.csv': () => ({ fileName: `${name}.csv`, text: batchCsv(csv) }),
      };
      const { fileName, text } = files[params.file]();
      await record(handover, {
        kind: 'exported',
        batchId: params.id,
        text: `The file ${fileName} was handed out.`,
      });
      response
        .type(params.file === 'batch.csv' ? 'text/csv' : 'text/plain')
        .set('Content-Disposition', `attachment; filename="${fileName}"`)
        .send(text);
    },
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
];
