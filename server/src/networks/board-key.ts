import { pbkdf2 } from 'node:crypto';
import { promisify } from 'node:util';
import { passphraseKind, preSharedKey, wepKey, type ShelvedNetwork } from '@nest-mark/core';
import type { Networks } from './domain';
import { networkSecret } from './networks';

const derive = promisify(pbkdf2);

/**
 * The pre-shared key of a WPA network (IEEE Std 802.11-2020 annex J.4), worked out off this thread: 4096 rounds in
 * JavaScript would hold others up. Digits of a key, and what is neither, are left to the core.
 */
const wpaKey = async (name: Uint8Array, secret: string): Promise<string> =>
  passphraseKind(secret) === 'passphrase'
    ? (await derive(secret, name, 4096, 32, 'sha1')).toString('hex')
    : preSharedKey(name, secret);

/** What of a network's key a board gets: never more than the format needs. @param name octets of the network's name */
export async function boardKey(
  networks: Networks,
  { id, security }: Pick<ShelvedNetwork, 'id' | 'security'>,
  name: Uint8Array,
): Promise<string> {
  if (security === 'open') return '';
  const secret = (await networkSecret(networks, id)) ?? '';
  if (security === 'wpa3-sae') return secret;
  return security === 'wep' ? (wepKey(secret) ?? '') : wpaKey(name, secret);
}
