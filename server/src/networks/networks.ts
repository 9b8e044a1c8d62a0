import { randomUUID } from 'node:crypto';
import {
  networkTitle,
  secretFaults,
  SSID_MAX_OCTETS,
  ssidBytes,
  writeWifiCode,
  type CodePattern,
  type SaveNetwork,
  type ShelvedNetwork,
} from '@nest-mark/core';
import type { Knex } from 'knex';
import { codePattern } from '../platform/code-pattern';
import { problem } from '../platform/http/problems';
import { record } from '../platform/log/record';
import type { Networks } from './domain';
import { VaultError } from '../platform/vault/seal';

/** Kind of a network's key in the vault. */
export const NETWORK_SECRET = 'wifiPassphrase';

/** The shelf; a key that can no longer be read counts as missing, so that it is asked for again. */
export async function shelfNetworks(networks: Networks): Promise<ShelvedNetwork[]> {
  const list = await networks.repository.list();
  return Promise.all(
    list.map(async (network): Promise<ShelvedNetwork> => {
      const lost = network.secret.state === 'kept' && (await networkSecret(networks, network.id)) === null;
      return lost ? { ...network, secret: { state: 'missing', faults: [] } } : network;
    }),
  );
}

/** A network or a 404. @throws Problem */
export async function needNetwork(networks: Networks, id: string): Promise<ShelvedNetwork> {
  const network = await networks.repository.find(id);
  if (!network) throw problem('network-missing');
  return network;
}

/** The kept key of a network; null when none is kept, or when the key file that sealed it is lost. */
export const networkSecret = (networks: Networks, id: string, db?: Knex): Promise<string | null> =>
  networks.vault.get(id, NETWORK_SECRET, db).catch((error: unknown) => {
    if (error instanceof VaultError) return null;
    throw error;
  });

/**
 * The code of a network, which holds its key in clear.
 * @throws Problem where it has no name, or no key that it needs
 */
export async function networkCode(networks: Networks, network: ShelvedNetwork): Promise<CodePattern> {
  const { security, hidden } = network;
  const ssid = ssidBytes(network);
  const secret = security === 'open' ? '' : await networkSecret(networks, network.id);
  if (
    !ssid ||
    ssid.length === 0 ||
    ssid.length > SSID_MAX_OCTETS ||
    secret === null ||
    (security !== 'open' && secret === '')
  )
    throw problem('key-not-there');
  return codePattern(writeWifiCode({ ssid, security, secret, hidden }));
}

async function keep(networks: Networks, id: string, body: SaveNetwork, db: Knex): Promise<void> {
  if (body.secret !== undefined) await networks.vault.put(id, NETWORK_SECRET, body.secret, db);
  const value = body.secret ?? (await networkSecret(networks, id, db)) ?? '';
  // The judgement depends on the security, so it is made again at each save.
  await networks.repository.setFaults(
    id,
    value === '' ? null : secretFaults(body.network.security, value),
    db,
  );
}

/** Puts a network on the shelf as part of a transaction. @returns its id */
export async function addNetwork(networks: Networks, body: SaveNetwork, db: Knex): Promise<string> {
  const id = randomUUID();
  await networks.repository.create(id, body.network, db);
  await keep(networks, id, body, db);
  const text = `Network "${networkTitle(body.network)}" was put on the shelf.`;
  await networks.log.add([{ kind: 'network', text }], db);
  return id;
}

/** Puts a network on the shelf. */
export async function createNetwork(networks: Networks, body: SaveNetwork): Promise<ShelvedNetwork> {
  const id = await networks.knex.transaction((db) => addNetwork(networks, body, db));
  networks.events.send({ type: 'log' });
  networks.events.send({ type: 'networks' });
  return needNetwork(networks, id);
}

/** Saves a network that was read at a version. @throws Problem 412 when somebody else saved in between */
export async function saveNetwork(
  networks: Networks,
  id: string,
  version: number,
  body: SaveNetwork,
): Promise<ShelvedNetwork> {
  await needNetwork(networks, id);
  await networks.knex.transaction(async (db) => {
    if (!(await networks.repository.save(id, version, body.network, db))) throw problem('network-changed');
    await keep(networks, id, body, db);
  });
  await record(networks, {
    kind: 'network',
    text: `Network "${networkTitle(body.network)}" was changed${body.secret === undefined ? '' : ', its passphrase too'}.`,
  });
  networks.events.send({ type: 'networks' });
  return needNetwork(networks, id);
}

/** Takes a network off the shelf, with its key. @throws Problem 409 while a batch needs it */
export async function removeNetwork(networks: Networks, id: string): Promise<void> {
  const network = await needNetwork(networks, id);
  const needed = await networks.repository.neededBy(id);
  if (needed.length > 0) throw problem('network-needed', { plans: needed.join(', ') });
  await networks.knex.transaction(async (db) => {
    await networks.repository.remove(id, db);
    await networks.vault.put(id, NETWORK_SECRET, '', db);
  });
  await record(networks, {
    kind: 'network',
    text: `Network "${networkTitle(network)}" was taken off the shelf.`,
  });
  networks.events.send({ type: 'networks' });
}
