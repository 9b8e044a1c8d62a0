import { randomUUID } from 'node:crypto';
import { networkTitle, secretFaults, type SaveNetwork, type ShelvedNetwork } from '@nest-mark/core';
import type { Knex } from 'knex';
import { Problem } from '../http/problems';
import { record, type Context } from './context';
import { VaultError } from './vault';

/** Kind of a network's key in the vault. */
export const NETWORK_SECRET = 'wifiPassphrase';

/** The shelf; a key that can no longer be read counts as missing, so that it is asked for again. */
export async function shelfNetworks(context: Context): Promise<ShelvedNetwork[]> {
  const list = await context.networks.list();
  return Promise.all(
    list.map(async (network): Promise<ShelvedNetwork> => {
      const lost = network.secret.state === 'kept' && (await networkSecret(context, network.id)) === null;
      return lost ? { ...network, secret: { state: 'missing', faults: [] } } : network;
    }),
  );
}

/** A network or a 404. @throws Problem */
export async function needNetwork(context: Context, id: string): Promise<ShelvedNetwork> {
  const network = await context.networks.find(id);
  if (!network)
    throw new Problem(404, 'network-missing', 'There is no such network. It may have been removed.');
  return network;
}

/** The kept key of a network; null when none is kept, or when the key file that sealed it is lost. */
export const networkSecret = (context: Context, id: string, db?: Knex): Promise<string | null> =>
  context.vault.get(id, NETWORK_SECRET, db).catch((error: unknown) => {
    if (error instanceof VaultError) return null;
    throw error;
  });

async function keep(context: Context, id: string, body: SaveNetwork, db: Knex): Promise<void> {
  if (body.secret !== undefined) await context.vault.put(id, NETWORK_SECRET, body.secret, db);
  const value = body.secret ?? (await networkSecret(context, id, db)) ?? '';
  // The judgement depends on the security, so it is made again at each save.
  await context.networks.setFaults(id, value === '' ? null : secretFaults(body.network.security, value), db);
}

/** Puts a network on the shelf as part of a transaction. @returns its id */
export async function addNetwork(context: Context, body: SaveNetwork, db: Knex): Promise<string> {
  const id = randomUUID();
  await context.networks.create(id, body.network, db);
  await keep(context, id, body, db);
  const text = `Network "${networkTitle(body.network)}" was put on the shelf.`;
  await context.log.add([{ kind: 'network', text }], db);
  return id;
}

/** Puts a network on the shelf. */
export async function createNetwork(context: Context, body: SaveNetwork): Promise<ShelvedNetwork> {
  const id = await context.knex.transaction((db) => addNetwork(context, body, db));
  context.events.send({ type: 'log' });
  context.events.send({ type: 'networks' });
  return needNetwork(context, id);
}

/** Saves a network that was read at a version. @throws Problem 412 when somebody else saved in between */
export async function saveNetwork(
  context: Context,
  id: string,
  version: number,
  body: SaveNetwork,
): Promise<ShelvedNetwork> {
  await needNetwork(context, id);
  await context.knex.transaction(async (db) => {
    if (!(await context.networks.save(id, version, body.network, db)))
      throw new Problem(
        412,
        'network-changed',
        'Somebody else saved this network in the meantime. Nothing was overwritten: it is shown as it is now, make your change again.',
      );
    await keep(context, id, body, db);
  });
  await record(context, {
    kind: 'network',
    text: `Network "${networkTitle(body.network)}" was changed${body.secret === undefined ? '' : ', its passphrase too'}.`,
  });
  context.events.send({ type: 'networks' });
  return needNetwork(context, id);
}

/** Takes a network off the shelf, with its key. @throws Problem 409 while a batch needs it */
export async function removeNetwork(context: Context, id: string): Promise<void> {
  const network = await needNetwork(context, id);
  const needed = await context.networks.neededBy(id);
  if (needed.length > 0)
    throw new Problem(
      409,
      'network-needed',
      `The network stays: it is planned in ${needed.join(', ')}. Take it out of the plan there first.`,
    );
  await context.knex.transaction(async (db) => {
    await context.networks.remove(id, db);
    await context.vault.put(id, NETWORK_SECRET, '', db);
  });
  await record(context, {
    kind: 'network',
    text: `Network "${networkTitle(network)}" was taken off the shelf.`,
  });
  context.events.send({ type: 'networks' });
}
