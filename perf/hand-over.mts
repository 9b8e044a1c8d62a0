import { randomBytes, randomUUID } from 'node:crypto';
import { join } from 'node:path';
import {
  addDevices,
  checkCharacter,
  emptyPlan,
  namesFromPattern,
  shippedLabelSizes,
  type Batch,
} from '@nest-mark/core';
// @ts-expect-error: the set-up is plain JavaScript, since it runs before anything is installed
import { startPostgres as start } from '../scripts/lib/postgres.mjs';
import { FoundRepository } from '../server/src/passport/found-repository';
import { connectDatabase, migrate } from '../server/src/platform/database/connect';
import { median, timed, type Result } from './measure.mjs';
import { withServer } from './server.mjs';

const startPostgres = start as (
  folder: string,
  options: { forTests: boolean },
) => Promise<{ url(name: string): string; stop(): Promise<void> }>;

const DEVICES = 200;
const ALL = 100_000;

/** What a batch of 200 takes with it: labels as a PDF, and its record. */
export const papers = (root: string, folder: string): Promise<Result[]> =>
  withServer(root, join(folder, 'papers'), '127.44.31', async (url, call) => {
    const draw = { random: (below: number) => Math.floor(Math.random() * below), id: () => randomUUID() };
    const plan = addDevices(
      emptyPlan('Two hundred'),
      namesFromPattern('tank-{n:03}', DEVICES),
      'tank monitor',
      draw,
    );
    const { id } = await call<Batch>('POST', '/batches', {
      plan: { ...plan, handOver: { colours: 'role' } },
      secrets: {},
    });
    const fetched = async (path: string, body?: unknown): Promise<number> => {
      const response = await fetch(`${url}/api/batches/${id}/${path}`, {
        method: body === undefined ? 'GET' : 'POST',
        headers: { 'X-Nest-Mark': '1', 'Content-Type': 'application/json' },
        ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      });
      if (!response.ok) throw new Error(await response.text());
      return (await response.arrayBuffer()).byteLength;
    };
    let octets = 0;
    const labels = await timed(async () => {
      octets = await fetched('hand-over/labels.pdf', {
        size: shippedLabelSizes[0],
        firstFree: 1,
        what: ['board'],
        code: 'mark',
        origin: null,
        deviceIds: null,
      });
    });
    const record = await timed(() => fetched('record'));
    return [
      {
        what: `${String(DEVICES)} labels as a PDF`,
        figure: `${labels.toFixed(0)} ms, ${(octets / 1024).toFixed(0)} KiB`,
        bound: 'under 3,000 ms',
      },
      {
        what: `record of a batch of ${String(DEVICES)}, page, paper and signatures`,
        figure: `${record.toFixed(0)} ms`,
        bound: 'under 5,000 ms',
      },
    ];
  });

/** Looking through a hundred thousand devices of all batches. */
export async function findingAmongAll(folder: string): Promise<Result[]> {
  const cluster = await startPostgres(join(folder, 'found'), { forTests: true });
  const knex = await connectDatabase(cluster.url('postgres'));
  try {
    await migrate(knex);
    const batchId = randomUUID();
    const { devices: _none, ...plan } = emptyPlan('All of them');
    await knex('batch').insert({ id: batchId, plan: JSON.stringify(plan) });
    const markOf = (at: number): string => {
      const payload = (at + 40_000).toString(36).toUpperCase().padStart(4, '0');
      return payload + checkCharacter(payload);
    };
    for (let from = 0; from < ALL; from += 5000)
      await knex('device').insert(
        Array.from({ length: 5000 }, (_, at) => ({
          id: randomUUID(),
          batch_id: batchId,
          position: from + at,
          nest: 'A1',
          mark: markOf(from + at),
          host_name: `tank-${String(from + at)}`,
          role: '',
          host_key_fingerprint: `SHA256:${randomBytes(32).toString('base64').replace(/=+$/, '')}`,
        })),
      );
    await knex.raw('analyze device');
    const repository = new FoundRepository(knex);
    const mark = markOf(77_777);
    const slip = (mark[0] === '2' ? '3' : '2') + mark.slice(1);
    const results: Result[] = [];
    for (const [what, text] of [
      ['a mark', mark],
      ['a mark with one slip', slip],
      ['a part of a name', 'nk-7777'],
    ] as const) {
      const times: number[] = [];
      for (let turn = 0; turn < 9; turn++) times.push(await timed(() => repository.find(text)));
      results.push({
        what: `${what} among ${String(ALL)} devices`,
        figure: `${median(times).toFixed(0)} ms`,
        bound: 'under 100 ms',
      });
    }
    return results;
  } finally {
    await knex.destroy();
    await cluster.stop();
  }
}
