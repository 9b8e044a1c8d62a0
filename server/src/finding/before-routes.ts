import { NamingSchema, RememberedSchema, type Naming, type Remembered } from '@nest-mark/core';
import { hostsOf, type Host } from '@nest-mark/core/find';
import { problem } from '../platform/http/problems';
import { IdSchema, route, type Route } from '../platform/http/route';
import { once, onceProblems } from '../platform/idempotency/once';
import { needBatch } from '../plans';
import type { Finding } from './domain';
import { provedNow } from './news';

/** By what a host is known again; a later listening may tell its address only. */
const signsOf = ({ hardwareAddress, addresses }: Host): string[] =>
  hardwareAddress === null ? addresses : [hardwareAddress, ...addresses];

/** Every host of which this batch's newest listening heard. @throws Problem when nobody has listened */
async function heardHosts(finding: Finding, batchId: string): Promise<Host[]> {
  const watch = await finding.clues.latestWatch(batchId);
  if (watch === null) throw problem('nobody-heard');
  const [clues, sightings] = await Promise.all([
    finding.clues.heard(watch),
    finding.repository.sightings(batchId),
  ]);
  // What an earlier search saw need not be here now: it is new when it comes.
  const since = Math.min(...clues.map((clue) => clue.since));
  return hostsOf(
    clues,
    sightings.filter(({ at }) => at >= since),
  );
}

async function remember(finding: Finding, batchId: string): Promise<Remembered> {
  await needBatch(finding.plans, batchId);
  const hosts = await heardHosts(finding, batchId);
  await finding.knex.transaction(async (db) => {
    await finding.before.remember(batchId, hosts.flatMap(signsOf), hosts.length, db);
    await finding.log.add(
      [
        {
          kind: 'remembered',
          batchId,
          text: `Who was there before the boards is remembered: ${String(hosts.length)} ${hosts.length === 1 ? 'host' : 'hosts'}.`,
        },
      ],
      db,
    );
  });
  finding.events.send({ type: 'log' });
  finding.events.send({ type: 'progress', batchId });
  const before = await finding.before.before(batchId);
  if (!before) throw problem('nobody-heard');
  return { at: before.at, hosts: before.hosts };
}

/** Takes down what a person says a host is; a key that signed tells more than anybody. @throws Problem */
async function name(
  finding: Finding,
  batchId: string,
  { deviceId, hardwareAddress }: Naming,
  by: string,
): Promise<'noted'> {
  const { plan } = await needBatch(finding.plans, batchId);
  const device = plan.devices.find(({ id }) => id === deviceId);
  if (!device) throw problem('device-missing');
  if (hardwareAddress !== null) {
    const [hosts, proved, boards] = await Promise.all([
      heardHosts(finding, batchId),
      provedNow(finding, batchId),
      finding.repository.boards(batchId),
    ]);
    if (!hosts.some((host) => host.hardwareAddress === hardwareAddress)) throw problem('naming-unknown');
    if (proved.has(deviceId)) throw problem('naming-proved', { name: device.hostName });
    const owner = boards.get(hardwareAddress);
    if (owner) throw problem('naming-proved', { name: owner.hostName });
  }
  await finding.knex.transaction(async (db) => {
    if (hardwareAddress === null) await finding.before.unname(deviceId, db);
    else await finding.before.name({ deviceId, hardwareAddress }, by, db);
    await finding.log.add(
      [
        {
          kind: 'named',
          batchId,
          deviceId,
          text:
            hardwareAddress === null
              ? `It is no longer said which board is ${device.hostName}.`
              : `The board with the hardware address ${hardwareAddress} is said to be ${device.hostName}.`,
        },
      ],
      db,
    );
  });
  finding.events.send({ type: 'log' });
  finding.events.send({ type: 'progress', batchId });
  return 'noted';
}

export const beforeRoutes = (finding: Finding): Route[] => [
  route({
    method: 'post',
    path: '/batches/:id/remembered',
    summary: 'Remember which hosts are there before boards are powered',
    params: IdSchema,
    answer: RememberedSchema,
    problems: [...onceProblems, 'batch-missing', 'nobody-heard'],
    run: ({ params, request }) => once(finding, request, () => remember(finding, params.id)),
  }),
  route({
    method: 'delete',
    path: '/batches/:id/remembered',
    summary: 'Forget who was there',
    params: IdSchema,
    problems: ['batch-missing'],
    run: async ({ params }) => {
      await needBatch(finding.plans, params.id);
      await finding.before.forget(params.id);
      finding.events.send({ type: 'progress', batchId: params.id });
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/namings',
    summary: 'Say which device a host is that has no key of ours, or take that back',
    params: IdSchema,
    body: NamingSchema,
    problems: [
      ...onceProblems,
      'batch-missing',
      'device-missing',
      'nobody-heard',
      'naming-unknown',
      'naming-proved',
    ],
    run: async ({ params, body, request, who }) => {
      await once(finding, request, () => name(finding, params.id, body, who));
    },
  }),
];
