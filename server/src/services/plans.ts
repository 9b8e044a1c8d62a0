import { randomBytes, randomInt, randomUUID } from 'node:crypto';
import {
  imageFacts,
  checkPlan,
  makeHostKey,
  makePassword,
  passwordFaults,
  publicKeyText,
  parsePublicKey,
  planChanges,
  variantsOf,
  type Batch,
  type Device,
  type Finding,
  type HostKey,
  type NetworkFacts,
  type Plan,
  type PlanView,
  type SavePlan,
  type SecretKind,
  type ShelvedNetwork,
} from '@nest-mark/core';
import type { Knex } from 'knex';
import type { StoredBatch } from '../db/batches';
import { Problem } from '../http/problems';
import { record, type Context } from './context';
import { shelfNetworks } from './networks';
import { VaultError } from './vault';
import { ownAddresses } from './workstation';

export const secretKinds: readonly SecretKind[] = ['userPassword'];

/** A batch or a 404. @throws Problem */
export async function needBatch(context: Context, id: string): Promise<StoredBatch> {
  const batch = await context.batches.find(id);
  if (!batch) throw new Problem(404, 'batch-missing', 'There is no such batch. It may have been removed.');
  return batch;
}

/** Networks of the shelf as the rules want them; keys themselves stay in the vault. */
const networkFacts = ({ version: _version, secret, ...network }: ShelvedNetwork): NetworkFacts => ({
  ...network,
  secret: secret.state === 'kept' ? { kind: 'kept', faults: secret.faults } : { kind: 'missing' },
});

/** The shared password of a batch; a lost key file must not lock the plan away, so it then counts as missing. */
export const sharedPassword = (context: Context, batchId: string): Promise<string | null> =>
  context.vault.get(batchId, 'userPassword').catch((error: unknown) => {
    if (error instanceof VaultError) return null;
    throw error;
  });

/** Names of all users who would have the shared password. */
const userNames = (plan: Plan): string[] => [
  ...new Set(variantsOf(plan).map(({ settings }) => settings.userName)),
];

/** A plan with everything around it, as the rules want it. */
export async function planView(context: Context, { id, plan }: StoredBatch): Promise<PlanView> {
  const [images, networks, boards, password, names] = await Promise.all([
    context.images.list(),
    shelfNetworks(context),
    context.boards.list(),
    sharedPassword(context, id),
    context.batches.namesSeen(id),
  ]);
  return {
    plan,
    images: images.flatMap(({ view }) => imageFacts(view)),
    networks: networks.map(networkFacts),
    boards,
    password:
      password === null
        ? { kind: 'missing' }
        : { kind: 'kept', faults: passwordFaults(password, userNames(plan)) },
    surroundings: { names, workstation: ownAddresses() },
  };
}

/** A batch as the browser gets it. */
export async function batchView(context: Context, batch: StoredBatch): Promise<Batch> {
  const view = await planView(context, batch);
  return {
    id: batch.id,
    version: batch.version,
    plan: batch.plan,
    password:
      view.password.kind === 'kept'
        ? { state: 'kept', faults: [...view.password.faults] }
        : { state: 'missing', faults: [] },
    surroundings: view.surroundings,
    findings: checkPlan(view),
  };
}

async function refuseTaken(context: Context, batchId: string, devices: readonly Device[]): Promise<void> {
  if (new Set(devices.map((device) => device.id)).size !== devices.length)
    throw new Problem(422, 'device-twice', 'One device is listed twice. Nothing was saved; reload the plan.');
  if (
    await context.batches.idsTaken(
      batchId,
      devices.map((device) => device.id),
    )
  )
    throw new Problem(
      409,
      'device-elsewhere',
      'A device of this list belongs to another batch. Nothing was saved.',
    );
  const taken = await context.batches.marksTaken(
    batchId,
    devices.map((device) => device.mark),
  );
  if (taken.length > 0)
    throw new Problem(
      409,
      'mark-taken',
      `The mark ${taken.join(', ')} is used by another batch already. Remove the device and add it anew to draw another mark.`,
    );
}

async function keepSecrets(
  context: Context,
  id: string,
  secrets: SavePlan['secrets'],
  db: Knex,
): Promise<void> {
  for (const kind of secretKinds) {
    const value = secrets[kind];
    if (value !== undefined) await context.vault.put(id, kind, value, db);
  }
}

/** Makes a batch. @throws Problem */
export async function createBatch(context: Context, { plan, secrets }: SavePlan): Promise<Batch> {
  const id = randomUUID();
  await refuseTaken(context, id, plan.devices);
  await context.knex.transaction(async (db) => {
    await context.batches.create(id, plan, db);
    await keepSecrets(context, id, secrets, db);
  });
  await record(context, {
    kind: 'batch',
    batchId: id,
    text: `Batch "${plan.name}" was made with ${String(plan.devices.length)} devices.`,
  });
  context.events.send({ type: 'batches' });
  return batchView(context, await needBatch(context, id));
}

/** Saves a plan that was read at a version. @throws Problem 412 when somebody else saved in between */
export async function saveBatch(
  context: Context,
  id: string,
  version: number,
  { plan, secrets }: SavePlan,
): Promise<Batch> {
  const before = await needBatch(context, id);
  await refuseTaken(context, id, plan.devices);
  await context.knex.transaction(async (db) => {
    if (!(await context.batches.save(id, version, plan, db)))
      throw new Problem(
        412,
        'plan-changed',
        'Somebody else saved this plan in the meantime. Nothing was overwritten: reload it, then make your change again.',
      );
    await keepSecrets(context, id, secrets, db);
    const typed = secretKinds.filter((kind) => secrets[kind] !== undefined);
    const changes = planChanges(before.plan, plan, typed);
    await context.log.add(
      changes.map((change) => ({ kind: 'plan', batchId: id, ...change })),
      db,
    );
  });
  context.events.send({ type: 'log' });
  context.events.send({ type: 'progress', batchId: id });
  return batchView(context, await needBatch(context, id));
}

/** The host key of a device; made at the first asking and kept, so that re-imaging does not change it. */
export async function deviceHostKey(context: Context, device: Device): Promise<HostKey> {
  const kept = await context.vault.get(device.id, 'hostKeySeed');
  const seed = kept === null ? randomBytes(32) : Buffer.from(kept, 'hex');
  const key = makeHostKey(seed, randomBytes(4), device.mark);
  if (kept === null) {
    const parsed = parsePublicKey(key.publicLine);
    if (typeof parsed === 'string') throw new Error('a host key that was just made could not be read');
    await context.knex.transaction(async (db) => {
      await context.vault.put(device.id, 'hostKeySeed', seed.toString('hex'), db);
      await context.batches.setHostKey(device.id, publicKeyText(parsed), key.fingerprint, db);
    });
  }
  return key;
}

/** The password made for one device; drawn at the first asking and kept, so that it can be handed over. */
export async function devicePassword(context: Context, deviceId: string): Promise<string> {
  const kept = await context.vault.get(deviceId, 'userPassword');
  if (kept !== null) return kept;
  const made = makePassword((below) => randomInt(below));
  await context.vault.put(deviceId, 'userPassword', made);
  return made;
}

/** Findings that forbid writing. */
export const stoppers = (findings: readonly Finding[]): Finding[] =>
  findings.filter((finding) => finding.severity === 'stops');
