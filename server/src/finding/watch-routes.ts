import * as z from 'zod';
import {
  callInOf,
  GivenCluesSchema,
  isOwnAddress,
  PlaceSchema,
  StartWatchSchema,
  subnetFault,
  WayQuerySchema,
  NetworkWaySchema,
  TablePreviewSchema,
  TableTextSchema,
  WatchSchema,
  type GivenClues,
  type HostTable,
  type StartWatch,
  type Watch,
} from '@nest-mark/core';
import {
  clueTitles,
  isCutName,
  listensOnNetworks,
  readTable,
  TableError,
  type HeardClue,
  type ReadTable,
} from '@nest-mark/core/find';
import { once, onceProblems } from '../platform/idempotency/once';
import { problem } from '../platform/http/problems';
import { refusedBy } from '../platform/http/refused-by';
import { IdSchema, route, type Route } from '../platform/http/route';
import { needBatch } from '../plans';
import type { Finding } from './domain';
import { beginWatch, watchOf } from './watches';

const twice = refusedBy('run_watch_once', () => problem('watch-running'));

/** Begins to listen, once at a time for each batch. @throws Problem */
async function startWatch(
  finding: Finding,
  batchId: string,
  { sources, places, port, listPath }: StartWatch,
  begunBy: string,
): Promise<Watch> {
  const { plan } = await needBatch(finding.plans, batchId);
  if (sources.length === 0 || (places.length === 0 && sources.some(listensOnNetworks)))
    throw problem('place-none');
  const known = await finding.ears.places();
  const gone = places.find((name) => !known.some((place) => place.name === name));
  if (gone !== undefined) throw problem('place-missing', { place: gone });
  const id = await finding.knex
    .transaction(async (db) => {
      const made = await beginWatch(
        finding,
        batchId,
        { sources, places, port, callIn: callInOf(plan.extras), listPath: listPath.trim() },
        begunBy,
        db,
      );
      const where = known
        .filter(({ name }) => places.includes(name))
        .map(({ name, subnet }) => `${name} (${subnet})`);
      await finding.log.add(
        [
          {
            kind: 'watch-started',
            batchId,
            text: `The bench listens${where.length > 0 ? ` on ${where.join(', ')}` : ''} for ${sources.map((source) => clueTitles[source]).join(', ')}.`,
          },
        ],
        db,
      );
      return made;
    })
    .catch(twice);
  finding.events.send({ type: 'log' });
  finding.events.send({ type: 'progress', batchId });
  return watchOf(finding, id);
}

/** @throws Problem with a sentence that helps */
function read(text: string): ReadTable {
  try {
    const table = readTable(text);
    if (
      table.rows.some(({ address }) => address !== null && isOwnAddress(address)) ||
      table.rows.every(({ address }) => address === null)
    )
      return table;
    throw new TableError(
      'None of these addresses is one of a private network; only such are contacted. A link-local one of IPv6 needs its interface, as in fe80::1%eth0.',
    );
  } catch (error) {
    if (error instanceof TableError) throw problem('table-unread', { why: error.message });
    throw error;
  }
}

/** What a list says, with the devices that its names may mean. */
async function preview(finding: Finding, batchId: string, text: string): Promise<HostTable> {
  const { plan } = await needBatch(finding.plans, batchId);
  const { form, rows, passed } = read(text);
  return {
    form,
    passed,
    rows: rows.map((row) => ({
      ...row,
      device:
        plan.devices.find(
          ({ hostName }) =>
            row.name !== null &&
            (row.name.toLowerCase() === hostName.toLowerCase() || isCutName(row.name, hostName)),
        )?.hostName ?? '',
    })),
  };
}

/**
 * Takes up what a person gives: a list, or addresses that were typed. Each gets a handshake offered, by the listening
 * that goes on or by one that is made for it. @throws Problem
 */
async function give(
  finding: Finding,
  batchId: string,
  { text, source, port }: GivenClues,
  begunBy: string,
): Promise<Watch> {
  await needBatch(finding.plans, batchId);
  const at = await finding.runs.repository.now();
  const clues = read(text)
    .rows.filter(({ gone, address }) => !gone && (address === null || isOwnAddress(address)))
    .map(({ address, hardwareAddress, name }): HeardClue => ({
      source,
      at,
      since: at,
      times: 1,
      address,
      hardwareAddress,
      name,
      mark: null,
      kind: 'here',
    }));
  if (clues.length === 0)
    throw problem('table-unread', { why: 'Every host in this list is said to be gone. Take a newer list.' });
  const id = await finding.knex
    .transaction(async (db) => {
      const open = await finding.clues.openWatch(batchId, db);
      const watch =
        open ??
        (await beginWatch(
          finding,
          batchId,
          { sources: [], places: [], port, callIn: null, listPath: '' },
          begunBy,
          db,
        ));
      await finding.clues.add(watch, clues, db);
      const what = source === 'hand' ? 'typed' : 'taken from a list';
      await finding.log.add(
        [
          {
            kind: 'clues-given',
            batchId,
            text: `${String(clues.length)} ${clues.length === 1 ? 'host was' : 'hosts were'} ${what}; each is asked for its key.`,
          },
        ],
        db,
      );
      return watch;
    })
    .catch(twice);
  finding.events.send({ type: 'log' });
  finding.events.send({ type: 'progress', batchId });
  return watchOf(finding, id);
}

export const watchRoutes = (finding: Finding): Route[] => [
  route({
    method: 'get',
    path: '/places',
    summary: 'Networks that this computer is on',
    answer: z.array(PlaceSchema),
    run: async () =>
      (await finding.ears.places()).map(({ name, address, subnet, ipv6, wireless }) => ({
        name,
        address,
        subnet,
        ipv6,
        wireless,
      })),
  }),
  route({
    method: 'get',
    path: '/places/way',
    summary: 'By which of its interfaces this computer reaches a subnet; nothing is sent',
    query: WayQuerySchema,
    answer: NetworkWaySchema,
    run: async ({ query }) => ({
      way:
        subnetFault(query.subnet) === null
          ? await finding.ears.way(query.subnet.trim().split('/')[0] ?? '')
          : null,
    }),
  }),
  route({
    method: 'post',
    path: '/batches/:id/watches',
    summary: 'Listen for the boards of a batch on networks that the operator names',
    params: IdSchema,
    body: StartWatchSchema,
    answer: WatchSchema,
    status: 201,
    problems: [...onceProblems, 'batch-missing', 'watch-running', 'place-none', 'place-missing'],
    run: ({ params, body, request, who }) =>
      once(finding, request, () => startWatch(finding, params.id, body, who)),
  }),
  route({
    method: 'post',
    path: '/watches/:id/stop',
    summary: 'Listen no more',
    params: IdSchema,
    problems: ['watch-ended'],
    run: async ({ params }) => {
      const run = await finding.runs.repository.find(params.id);
      if (run?.kind !== 'watch' || !(await finding.runs.ask(params.id, 'cancel')))
        throw problem('watch-ended');
    },
  }),
  route({
    method: 'post',
    path: '/batches/:id/clues/preview',
    summary: 'What a list of hosts is understood as; nothing is contacted',
    params: IdSchema,
    body: TableTextSchema,
    answer: TablePreviewSchema,
    problems: ['batch-missing', 'table-unread'],
    run: ({ params, body }) => preview(finding, params.id, body.text),
  }),
  route({
    method: 'post',
    path: '/batches/:id/clues',
    summary: 'Take up a list of hosts, or typed addresses: each is asked for its key',
    params: IdSchema,
    body: GivenCluesSchema,
    answer: WatchSchema,
    status: 201,
    problems: [...onceProblems, 'batch-missing', 'table-unread', 'watch-running'],
    run: ({ params, body, request, who }) =>
      once(finding, request, () => give(finding, params.id, body, who)),
  }),
];
