import { buffer } from 'node:stream/consumers';
import { batchRecord, documentHtml, fileSlug, type HandoverDevice } from '@nest-mark/core';
import { tripPages } from '@nest-mark/core/in-field';
import { ZipFile } from 'yazl';
import { credentialsFile, FileQuerySchema, gather, recordFacts, toolFiles, type ToolFile } from '../handover';
import { exportPlan, type StoredBatch } from '../plans';
import { Problem } from '../platform/http/problems';
import type { Field } from './domain';
import { tripOf, type Trip } from './facts';

/** Files for other programs that go along, with what each is for. */
const packed = [
  ['known_hosts', 'host keys, for OpenSSH: its UserKnownHostsFile'],
  ['ssh_config', 'names, addresses and users, for OpenSSH: ssh -F'],
  ['hosts', 'names and addresses, for a computer’s own table'],
  ['batch.csv', 'the boards as a table'],
] as const;

/** Addresses as they were over the field's network, where a try has shown them. */
function addressedThere<T extends HandoverDevice & { id: string }>(
  devices: readonly T[],
  { tries, facts }: Trip,
): T[] {
  const there = new Map(
    // The newest comes first and stays.
    [...tries]
      .reverse()
      .filter(({ networkId }) => networkId === facts.network?.id)
      .flatMap(({ boards }) => boards)
      .flatMap(({ deviceId, address }) => (address === null ? [] : [[deviceId, address] as const])),
  );
  return devices.map((device) => ({ ...device, address: there.get(device.id) ?? device.address }));
}

/** The sealed credentials; null where nobody logs in by a password. @throws Problem */
async function credentials(
  field: Field,
  batchId: string,
  passphrase: string,
  who: string,
): Promise<string | Buffer | null> {
  const wanted = { form: 'sealed', deviceIds: null, recipients: '', passphrase } as const;
  try {
    return (await credentialsFile(field.handOver, batchId, wanted, who)).content;
  } catch (error) {
    if (error instanceof Problem && error.code === 'no-credentials') return null;
    throw error;
  }
}

/**
 * Everything of a batch in one file, for where there is no internet: pages for people, files for programs, the plan, and
 * its keys encrypted under a passphrase where one is given.
 * @param secret the passphrase
 * @throws Problem
 */
export async function bundleOf(
  field: Field,
  batch: StoredBatch,
  secret: string | null,
  who: string,
): Promise<{ fileName: string; content: Buffer; madeOf: string }> {
  const trip = await tripOf(field, batch);
  const sealed = secret === null ? null : await credentials(field, batch.id, secret, who);
  const [{ slug, devices }, plan, facts, ticked] = await Promise.all([
    gather(field.handOver, batch.id),
    exportPlan(field.plans, batch.id, secret),
    recordFacts(field.handOver, batch.id, who),
    field.repository.ticked(batch.id),
  ]);
  const there = addressedThere(devices, trip);
  const going = new Set(trip.facts.boards.map(({ device }) => device.id));
  const query = FileQuerySchema.parse({ knownHosts: 'known_hosts' });
  const files: [string, string | Buffer, string][] = [
    ...packed.map(([name, what]): [string, string, string] => {
      const file: ToolFile = toolFiles[name];
      return [
        name,
        file.text(
          there.filter(({ id }) => going.has(id)),
          query,
          slug,
        ),
        what,
      ];
    }),
    [
      'plan.json',
      `${JSON.stringify(plan, null, 2)}\n`,
      secret === null
        ? 'the plan, without its keys: “Open a plan” takes it in'
        : 'the plan, its keys encrypted under the passphrase: “Open a plan” takes it in',
    ],
    ['record.html', documentHtml(batchRecord(facts, null)), 'what was done so far'],
    ...(sealed === null
      ? []
      : [
          ['credentials.csv.age', sealed, 'passwords, encrypted under the passphrase: age -d opens it'] as [
            string,
            string | Buffer,
            string,
          ],
        ]),
  ];
  const page = tripPages(
    trip.facts,
    there,
    ticked,
    files.map(([name, , what]) => [name, what] as const),
  );
  const zip = new ZipFile();
  const folder = `field.${fileSlug(batch.plan.name)}`;
  zip.addBuffer(Buffer.from(documentHtml(page)), `${folder}/START-HERE.html`);
  for (const [name, content] of files)
    zip.addBuffer(Buffer.from(content), `${folder}/${name}`, { mode: 0o100600 });
  zip.end();
  return { fileName: `${folder}.zip`, content: await buffer(zip.outputStream), madeOf: trip.madeOf };
}
