import { ed25519 } from '@noble/curves/ed25519.js';
import { sha512 } from '@noble/hashes/sha2.js';
import { concatBytes, toBase64, utf8 } from '../bytes';
import { sshString, sshUint32 } from './ssh-wire';

/**
 * Signs octets with an Ed25519 key in OpenSSH's form for files (OpenSSH's PROTOCOL.sshsig), so that everybody who has
 * ssh-keygen can check them: `ssh-keygen -Y verify`.
 * @param seed 32 octets, the private key itself
 * @param namespace what such signatures are for, so that one cannot be passed off as another
 * @returns the armoured signature
 */
export function signFile(seed: Uint8Array, namespace: string, octets: Uint8Array): string {
  const point = ed25519.getPublicKey(seed);
  const key = concatBytes(sshString('ssh-ed25519'), sshString(point));
  const about = concatBytes(sshString(namespace), sshString(''), sshString('sha512'));
  const signed = ed25519.sign(concatBytes(utf8('SSHSIG'), about, sshString(sha512(octets))), seed);
  const blob = concatBytes(
    utf8('SSHSIG'),
    sshUint32(1),
    sshString(key),
    about,
    sshString(concatBytes(sshString('ssh-ed25519'), sshString(signed))),
  );
  const lines = toBase64(blob).match(/.{1,70}/g) ?? [];
  return ['-----BEGIN SSH SIGNATURE-----', ...lines, '-----END SSH SIGNATURE-----', ''].join('\n');
}
