import { createPrivateKey, createPublicKey, randomBytes, randomInt } from 'node:crypto';
import {
  BENCH_KEY_NAME,
  hostKeyOfPoint,
  makeHostKey,
  makePassword,
  type Device,
  type HostKey,
  type Plan,
} from '@nest-mark/core';
import type { Knex } from 'knex';
import type { Plans } from './domain';
import { VaultError } from '../platform/vault/seal';

/**
 * What proves a device and lets people in: its host key and its own password. Both are made once, with the device;
 * reading them never makes them, so nobody can be told one key and the card get another.
 */

const PORTION = 100;
const SEED = 'hostKeySeed';
const PASSWORD = 'userPassword';
const BENCH_KEY = 'benchKeySeed';

/** How an Ed25519 private key of 32 octets is wrapped in PKCS #8 (RFC 8410 section 7). */
const wrapping = Buffer.from('302e020100300506032b657004220420', 'hex');

function publicHalf(seed: Buffer): { hostKey: string; fingerprint: string } {
  const key = createPrivateKey({ key: Buffer.concat([wrapping, seed]), format: 'der', type: 'pkcs8' });
  const { x } = createPublicKey(key).export({ format: 'jwk' });
  return hostKeyOfPoint(Buffer.from(x ?? '', 'base64url'));
}

/**
 * Makes what is missing of some devices' identities, as part of a transaction. Of two that do it at once both get what
 * the first one made.
 */
export async function makeIdentities(plans: Plans, deviceIds: readonly string[], db: Knex): Promise<void> {
  if (deviceIds.length === 0) return;
  await plans.vault.putOnce(
    deviceIds.flatMap((ownerId) => [
      { ownerId, kind: SEED, value: randomBytes(32).toString('hex') },
      { ownerId, kind: PASSWORD, value: makePassword((below) => randomInt(below)) },
    ]),
    db,
  );
  const without = await plans.repository.withoutHostKey(db, deviceIds);
  // In portions, so that a thousand devices do not hold others up.
  for (let at = 0; at < without.length; at += PORTION) {
    const seeds = await plans.vault.getAll(without.slice(at, at + PORTION), SEED, db);
    await plans.repository.setHostKeys(
      [...seeds].map(([deviceId, seed]) => ({ deviceId, ...publicHalf(Buffer.from(seed, 'hex')) })),
      db,
    );
  }
}

/**
 * Completes devices that an earlier version left without a host key on record, at the start of the server.
 * A key file that was lost leaves them as they are; that is told where their secrets are needed.
 */
export async function completeIdentities(plans: Plans): Promise<void> {
  const without = await plans.repository.withoutHostKey(plans.knex);
  await plans.knex
    .transaction((db) => makeIdentities(plans, without, db))
    .catch((error: unknown) => {
      if (!(error instanceof VaultError)) throw error;
    });
}

/** The host key of a device. @throws VaultError when it is not there or cannot be read */
export async function deviceHostKey(plans: Plans, device: Device): Promise<HostKey> {
  const seed = await plans.vault.get(device.id, SEED);
  if (seed === null)
    throw new VaultError(
      (await plans.repository.isForgotten(device.id))
        ? `The bench forgot the private half of ${device.hostName}’s host key when the device was taken over. Take the device out of the plan and add a new one.`
        : `The host key of ${device.hostName} is missing. Save the plan once more.`,
    );
  return makeHostKey(Buffer.from(seed, 'hex'), randomBytes(4), device.mark);
}

/** The password made for one device. @throws VaultError when it is not there or cannot be read */
export async function devicePassword(plans: Plans, deviceId: string): Promise<string> {
  const password = await plans.vault.get(deviceId, PASSWORD);
  if (password === null)
    throw new VaultError(
      (await plans.repository.isForgotten(deviceId))
        ? 'The bench forgot the password of this device when it was taken over.'
        : 'The password of this device is missing. Save the plan once more.',
    );
  return password;
}

/**
 * Makes the key by which the bench logs in to the boards of a batch, where the plan wants one and none was made. Of two
 * that do it at once both get what the first one made.
 */
export async function makeBenchKey(plans: Plans, batchId: string, plan: Plan, db: Knex): Promise<void> {
  if (!plan.bringUp.benchKey) return;
  await plans.vault.putOnce(
    [{ ownerId: batchId, kind: BENCH_KEY, value: randomBytes(32).toString('hex') }],
    db,
  );
  const seed = (await plans.vault.getAll([batchId], BENCH_KEY, db)).get(batchId);
  if (seed === undefined) throw new VaultError('The bench’s own key is missing. Save the plan once more.');
  await plans.repository.setBenchKey(
    batchId,
    `${publicHalf(Buffer.from(seed, 'hex')).hostKey} ${BENCH_KEY_NAME}`,
    db,
  );
}

/** The bench's own key of a batch; null where none was made. @throws VaultError when it cannot be read */
export async function benchKeyOf(plans: Plans, batchId: string): Promise<HostKey | null> {
  const seed = await plans.vault.get(batchId, BENCH_KEY);
  return seed === null ? null : makeHostKey(Buffer.from(seed, 'hex'), randomBytes(4), BENCH_KEY_NAME);
}
