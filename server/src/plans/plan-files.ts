import { randomInt, randomUUID } from 'node:crypto';
import { CompactEncrypt, compactDecrypt, errors } from 'jose';
import {
  drawMark,
  networkTitle,
  PLAN_FILE_VERSION,
  PlanFileError,
  PlanSecretsSchema,
  readPlanFile,
  settingsOf,
  type BoardProfile,
  type Device,
  type ImportedPlan,
  type Join,
  type Network,
  type Plan,
  type PlanFile,
  type PlanSecrets,
} from '@nest-mark/core';
import type { Knex } from 'knex';
import { problem } from '../platform/http/problems';
import { record } from '../platform/log/record';
import type { Plans } from './domain';
import { addNetwork, networkSecret } from '../networks';
import { createBatch, needBatch, sharedPassword } from './plans';

/** Rounds of PBKDF2 (RFC 8018): OWASP's advice for HMAC-SHA-512. */
const ROUNDS = 210_000;

/** Networks, boards and images that a plan names, for the batch or for single devices. */
function named(plan: Plan): { networks: Set<string>; boards: Set<string>; images: Set<string> } {
  const all = [
    settingsOf(plan, { overrides: {} }),
    ...plan.devices.map((device) => settingsOf(plan, device)),
  ];
  return {
    networks: new Set(all.flatMap(({ networks }) => networks.map(({ networkId }) => networkId))),
    boards: new Set(all.map(({ boardProfileId }) => boardProfileId)),
    images: new Set(all.flatMap(({ imageId }) => (imageId === null ? [] : [imageId]))),
  };
}

/** A batch's plan as a file; secrets go along only under a passphrase. */
export async function exportPlan(
  plans: Plans,
  batchId: string,
  passphrase: string | null,
): Promise<PlanFile> {
  const { plan } = await needBatch(plans, batchId);
  const wanted = named(plan);
  const networks = (await plans.networks.repository.list()).filter(({ id }) => wanted.networks.has(id));
  const file: PlanFile = {
    format: 'nest-mark-plan',
    version: PLAN_FILE_VERSION,
    savedAt: new Date().toISOString(),
    plan,
    networks: networks.map(({ secret: _secret, version: _version, ...network }) => network),
    boards: (await plans.boards.repository.list())
      .filter(({ id }) => wanted.boards.has(id))
      .map(({ origin: _origin, version: _version, ...board }) => board),
    images: (await plans.images.repository.list())
      .filter(({ id }) => wanted.images.has(id))
      .map(({ id, view }) => ({ id, title: view.title, rawSha256: view.rawSha256 ?? '' })),
  };
  if (passphrase === null) return file;
  const secrets: PlanSecrets = { networks: {} };
  for (const { id } of networks) {
    const value = await networkSecret(plans.networks, id);
    if (value !== null) secrets.networks[id] = value;
  }
  const password = await sharedPassword(plans, batchId);
  if (password !== null) secrets.userPassword = password;
  await record(plans, {
    kind: 'revealed',
    batchId,
    text: 'The plan was saved to a file with its secrets, encrypted under a passphrase.',
  });
  return { ...file, secrets: await sealed(secrets, passphrase) };
}

const sealed = (secrets: PlanSecrets, passphrase: string): Promise<string> =>
  new CompactEncrypt(new TextEncoder().encode(JSON.stringify(secrets)))
    .setProtectedHeader({ alg: 'PBES2-HS512+A256KW', enc: 'A256GCM' })
    // The default of 2,048 rounds is too few for a passphrase.
    .setKeyManagementParameters({ p2c: ROUNDS })
    .encrypt(new TextEncoder().encode(passphrase));

/** @throws Problem when the passphrase is not the one of the file, or the encrypted part is damaged */
async function unsealed(text: string, passphrase: string): Promise<PlanSecrets> {
  try {
    const { plaintext } = await compactDecrypt(text, new TextEncoder().encode(passphrase), {
      keyManagementAlgorithms: ['PBES2-HS512+A256KW'],
      contentEncryptionAlgorithms: ['A256GCM'],
      maxPBES2Count: 1_000_000,
    });
    return PlanSecretsSchema.parse(JSON.parse(new TextDecoder().decode(plaintext)));
  } catch (error) {
    if (error instanceof errors.JOSEError || error instanceof SyntaxError) throw problem('plan-passphrase');
    throw error;
  }
}

const sameNetwork = (a: Network, b: Network): boolean =>
  a.ssid === b.ssid && a.ssidForm === b.ssidForm && a.security === b.security;

/** Networks of a file on this shelf: the same one where it lies there already, else a new one. */
async function takeNetworks(
  plans: Plans,
  file: PlanFile,
  secrets: PlanSecrets | null,
  remarks: string[],
  db: Knex,
): Promise<Map<string, string>> {
  const shelf = await plans.networks.repository.list(db);
  const places = new Map<string, string>();
  for (const { id, ...network } of file.networks) {
    const secret = secrets?.networks[id];
    const known = shelf.find((candidate) => sameNetwork(candidate, network));
    if (known) {
      const kept = known.secret.state === 'kept';
      if (secret !== undefined && kept && (await networkSecret(plans.networks, known.id)) !== secret)
        remarks.push(
          `The passphrase of "${networkTitle(network)}" in the file differs from the one kept here. The one here stays.`,
        );
      if (kept || secret === undefined) {
        places.set(id, known.id);
        continue;
      }
    }
    const made = await addNetwork(
      plans.networks,
      { network, ...(secret === undefined ? {} : { secret }) },
      db,
    );
    places.set(id, made);
    if (secret === undefined && network.security !== 'open')
      remarks.push(`Type the passphrase of "${networkTitle(network)}": it did not come along.`);
  }
  return places;
}

/** Board profiles of a file on this shelf; one that is kept here under the same id stays as it is here. */
async function takeBoards(
  plans: Plans,
  boards: readonly BoardProfile[],
  remarks: string[],
  db: Knex,
): Promise<void> {
  const shelf = await plans.boards.repository.list(db);
  for (const board of boards) {
    const known = shelf.find(({ id }) => id === board.id);
    if (!known) await plans.boards.repository.save(board, 0, db);
    else if (JSON.stringify({ ...known, ...board }) !== JSON.stringify(known))
      remarks.push(`The board profile "${known.title}" is not the same here; the one here is used.`);
  }
}

/**
 * Takes a plan over from a file as a new batch, with the networks and boards that it names: all of it or nothing.
 * @throws Problem when the file or the passphrase cannot be used
 */
export async function importPlan(
  plans: Plans,
  text: string,
  passphrase: string | null,
): Promise<ImportedPlan> {
  const file = read(text);
  const remarks: string[] = [];
  const asked = passphrase !== null && passphrase !== '';
  if (asked && file.secrets === undefined)
    remarks.push('The file holds no secrets; the passphrase was not needed.');
  const secrets = asked && file.secrets !== undefined ? await unsealed(file.secrets, passphrase) : null;
  const shelf = await plans.images.repository.list();
  const images = new Map(
    file.images.map(({ id, title, rawSha256 }) => {
      const here = shelf.find(({ view }) => rawSha256 !== '' && view.rawSha256 === rawSha256);
      if (!here) remarks.push(`The image "${title}" is not on the shelf here; choose one.`);
      return [id, here?.id ?? null];
    }),
  );
  const imageOf = (id: string | null): string | null => (id === null ? null : (images.get(id) ?? null));
  const asNew = file.plan.devices.map((device): Device => ({ ...device, id: randomUUID() }));
  const taken = new Set(await plans.repository.marksTaken(asNew));
  if (taken.size > 0)
    remarks.push(
      `${String(taken.size)} devices got new marks: theirs are in use here. Print new labels for them.`,
    );
  const marks = new Set([...taken, ...asNew.map(({ mark }) => mark)]);
  const devices = asNew.map((device): Device => {
    if (!taken.has(device.mark)) return device;
    const mark = drawMark((below) => randomInt(below), marks);
    marks.add(mark);
    return { ...device, mark };
  });
  const plan: Plan = { ...file.plan, imageId: imageOf(file.plan.imageId), devices };
  const password = secrets?.userPassword;
  const batch = await createBatch(
    plans,
    { plan, secrets: password === undefined ? {} : { userPassword: password } },
    async (db) => {
      const networks = await takeNetworks(plans, file, secrets, remarks, db);
      await takeBoards(plans, file.boards, remarks, db);
      return placed(plan, networks, imageOf);
    },
  );
  plans.events.send({ type: 'networks' });
  plans.events.send({ type: 'boards' });
  return { id: batch.id, plan: batch.plan, remarks };
}

/** A plan with the ids that its networks and images have here. */
function placed(
  plan: Plan,
  networks: ReadonlyMap<string, string>,
  imageOf: (id: string | null) => string | null,
): Plan {
  const joins = (list: readonly Join[]): Join[] =>
    list.flatMap((join) => {
      const networkId = networks.get(join.networkId);
      return networkId === undefined ? [] : [{ ...join, networkId }];
    });
  return {
    ...plan,
    networks: joins(plan.networks),
    devices: plan.devices.map((device): Device => {
      const { networks: own, imageId, ...overrides } = device.overrides;
      return {
        ...device,
        overrides: {
          ...overrides,
          ...(own === undefined ? {} : { networks: joins(own) }),
          ...(imageId === undefined ? {} : { imageId: imageOf(imageId) }),
        },
      };
    }),
  };
}

function read(text: string): PlanFile {
  try {
    return readPlanFile(text);
  } catch (error) {
    if (error instanceof PlanFileError) throw problem('plan-file', { why: error.message });
    throw error;
  }
}
