import { randomUUID } from 'node:crypto';
import { setImmediate } from 'node:timers/promises';
import {
  imageFacts,
  checkPlanInTurns,
  passwordFaults,
  planChanges,
  variantsOf,
  type Batch,
  type Device,
  type Finding,
  type NetworkFacts,
  type Plan,
  type PlanView,
  type SavePlan,
  type SecretKind,
  type ShelvedNetwork,
} from '@nest-mark/core';
import type { Knex } from 'knex';
import { DeviceElsewhere, type StoredBatch } from './repository';
import { problem, type Problem } from '../platform/http/problems';
import type { Plans } from './domain';
import { makeBenchKey, makeIdentities } from './identities';
import { shelfNetworks } from '../networks';
import { VaultError } from '../platform/vault/seal';
import { makeVpnPlaces } from './vpn';
import { ownAddresses } from './workstation';

const secretKinds: readonly SecretKind[] = ['userPassword'];

/** A batch or a 404. @throws Problem */
export async function needBatch(plans: Plans, id: string): Promise<StoredBatch> {
  const batch = await plans.repository.find(id);
  if (!batch) throw problem('batch-missing');
  return batch;
}

/** Networks of the shelf as the rules want them; keys themselves stay in the vault. */
const networkFacts = ({ version: _version, secret, ...network }: ShelvedNetwork): NetworkFacts => ({
  ...network,
  secret: secret.state === 'kept' ? { kind: 'kept', faults: secret.faults } : { kind: 'missing' },
});

/** The shared password of a batch; a lost key file must not lock the plan away, so it then counts as missing. */
export const sharedPassword = (plans: Plans, batchId: string): Promise<string | null> =>
  plans.vault.get(batchId, 'userPassword').catch((error: unknown) => {
    if (error instanceof VaultError) return null;
    throw error;
  });

/** Names of all users who would have the shared password. */
const userNames = (plan: Plan): string[] => [
  ...new Set(variantsOf(plan).map(({ settings }) => settings.userName)),
];

/** A plan with everything around it, as the rules want it. */
export async function planView(plans: Plans, { id, plan }: StoredBatch): Promise<PlanView> {
  const [images, networks, boards, password, names] = await Promise.all([
    plans.images.repository.list(),
    shelfNetworks(plans.networks),
    plans.boards.repository.list(),
    sharedPassword(plans, id),
    plans.repository.namesSeen(id),
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

/** What the rules find in a plan; others have their turn between two rules. */
export const findingsOf = (view: PlanView): Promise<Finding[]> =>
  checkPlanInTurns(view, () => setImmediate());

/** Findings that go along with a plan: the page runs the rules itself, and thousands of them take long to send. */
const FINDINGS_TOLD = 300;

/** A batch as the browser gets it. */
export async function batchView(plans: Plans, batch: StoredBatch): Promise<Batch> {
  const view = await planView(plans, batch);
  return {
    id: batch.id,
    version: batch.version,
    plan: batch.plan,
    benchKey: batch.benchKey,
    password:
      view.password.kind === 'kept'
        ? { state: 'kept', faults: [...view.password.faults] }
        : { state: 'missing', faults: [] },
    surroundings: view.surroundings,
    findings: (await findingsOf(view)).slice(0, FINDINGS_TOLD),
  };
}

async function refuseTaken(plans: Plans, batchId: string, devices: readonly Device[]): Promise<void> {
  if (new Set(devices.map((device) => device.id)).size !== devices.length) throw problem('device-twice');
  if (
    await plans.repository.idsTaken(
      batchId,
      devices.map((device) => device.id),
    )
  )
    throw elsewhere();
  const marks = devices.map(({ mark }) => mark);
  const twice = marks.filter((mark, index) => marks.indexOf(mark) !== index);
  const taken = [...new Set([...twice, ...(await plans.repository.marksTaken(devices))])];
  if (taken.length > 0) throw markTaken(taken.join(', '));
}

const elsewhere = (): Problem => problem('device-elsewhere');

const markTaken = (marks: string): Problem => problem('mark-taken', { marks });

/** Runs a transaction in which devices are made or changed. @throws Problem when another one took a mark meanwhile */
function changingDevices<T>(plans: Plans, work: (db: Knex) => Promise<T>): Promise<T> {
  const alone = async (db: Knex): Promise<T> => {
    await plans.repository.oneByOne(db);
    return work(db);
  };
  return plans.knex.transaction(alone).catch((error: unknown) => {
    const { code, constraint } = error as { code?: string; constraint?: string };
    if (code === '23505' && constraint === 'device_mark_once') throw markTaken('of one of its devices');
    throw error instanceof DeviceElsewhere ? elsewhere() : error;
  });
}

async function keepSecrets(plans: Plans, id: string, secrets: SavePlan['secrets'], db: Knex): Promise<void> {
  for (const kind of secretKinds) {
    const value = secrets[kind];
    if (value !== undefined) await plans.vault.put(id, kind, value, db);
  }
}

/**
 * Makes a batch.
 * @param before what has to be there with it, in the same transaction; it may change the plan
 * @throws Problem
 */
export async function createBatch(
  plans: Plans,
  { plan: wanted, secrets }: SavePlan,
  before: (db: Knex) => Promise<Plan> = () => Promise.resolve(wanted),
): Promise<Batch> {
  const id = randomUUID();
  await refuseTaken(plans, id, wanted.devices);
  await changingDevices(plans, async (db) => {
    const plan = await before(db);
    await plans.repository.create(id, plan, db);
    await makeIdentities(
      plans,
      plan.devices.map((device) => device.id),
      db,
    );
    await makeBenchKey(plans, id, plan, db);
    await makeVpnPlaces(plans, id, plan, db);
    await keepSecrets(plans, id, secrets, db);
    await plans.log.add(
      [
        {
          kind: 'batch',
          batchId: id,
          text: `Batch "${plan.name}" was made with ${String(plan.devices.length)} devices.`,
        },
      ],
      db,
    );
  });
  plans.events.send({ type: 'log' });
  plans.events.send({ type: 'batches' });
  return batchView(plans, await needBatch(plans, id));
}

/** Saves a plan that was read at a version. @throws Problem 412 when somebody else saved in between */
export async function saveBatch(
  plans: Plans,
  id: string,
  version: number,
  { plan, secrets }: SavePlan,
): Promise<Batch> {
  const before = await needBatch(plans, id);
  await refuseTaken(plans, id, plan.devices);
  await changingDevices(plans, async (db) => {
    if (!(await plans.repository.save(id, version, plan, db))) throw problem('plan-changed');
    await makeIdentities(
      plans,
      await plans.repository.withoutHostKey(
        db,
        plan.devices.map((device) => device.id),
      ),
      db,
    );
    await makeBenchKey(plans, id, plan, db);
    await makeVpnPlaces(plans, id, plan, db);
    await keepSecrets(plans, id, secrets, db);
    const typed = secretKinds.filter((kind) => secrets[kind] !== undefined);
    const changes = planChanges(before.plan, plan, typed);
    await plans.log.add(
      changes.map((change) => ({ kind: 'plan', batchId: id, ...change })),
      db,
    );
  });
  plans.events.send({ type: 'log' });
  plans.events.send({ type: 'progress', batchId: id });
  return batchView(plans, await needBatch(plans, id));
}

/** What of a list is said in one breath, and how much more there is. */
export const inShort = (messages: readonly string[], most = 10): string[] =>
  messages.length <= most
    ? [...messages]
    : [...messages.slice(0, most), `And ${String(messages.length - most)} more like that.`];

/** Findings that forbid writing. */
export const stoppers = (findings: readonly Finding[]): Finding[] =>
  findings.filter((finding) => finding.severity === 'stops');
