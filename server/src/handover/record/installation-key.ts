import { randomBytes } from 'node:crypto';
import { makeHostKey, signFile } from '@nest-mark/core';
import { VaultError } from '../../platform/vault/seal';
import type { HandOver } from '../domain';

/**
 * The key of this installation, by which its records can be told from others. It is made when it is first asked for, and
 * sealed; of two that ask at once both get what the first one made.
 */

/** Whose secret it is: nobody's of the plans. */
const OWNER = '6e657374-6d61-4b00-8000-7265636f7264';
const KIND = 'recordKeySeed';
/** What such signatures are for (OpenSSH's PROTOCOL.sshsig, "namespace"). */
export const RECORD_NAMESPACE = 'nest-mark-record';
export const RECORD_SIGNER = 'nest-mark';

async function seed({ plans, knex }: HandOver): Promise<Buffer> {
  await plans.vault.putOnce([{ ownerId: OWNER, kind: KIND, value: randomBytes(32).toString('hex') }], knex);
  const value = await plans.vault.get(OWNER, KIND);
  if (value === null) throw new VaultError('The key of this installation is missing. Ask again.');
  return Buffer.from(value, 'hex');
}

/** Its public half. @throws VaultError when it cannot be read */
export async function installationKey(
  handover: HandOver,
): Promise<{ publicLine: string; fingerprint: string }> {
  const { publicLine, fingerprint } = makeHostKey(await seed(handover), randomBytes(4), RECORD_SIGNER);
  return { publicLine, fingerprint };
}

/** The signature of a file. @throws VaultError when the key cannot be read */
export const signRecord = async (handover: HandOver, octets: Uint8Array): Promise<string> =>
  signFile(await seed(handover), RECORD_NAMESPACE, octets);
