import { generateKeyPair } from 'node:crypto';
import { promisify } from 'node:util';
import { fingerprint, parsePublicKey, publicKeyText, type KeyType, type MadeKey } from '@nest-mark/core';
import sshpk from 'sshpk';

const generate = promisify(generateKeyPair);

/** A new private key in PEM; made on the thread pool, so that long RSA keys hold nobody up. */
async function newKey(type: KeyType): Promise<string> {
  const [family, size = ''] = type.split('-');
  const { privateKey } =
    family === 'rsa'
      ? await generate('rsa', { modulusLength: Number(size) })
      : family === 'ecdsa'
        ? await generate('ec', { namedCurve: `P-${size}` })
        : await generate('ed25519');
  return privateKey.export({ type: 'pkcs8', format: 'pem' }).toString();
}

/**
 * Makes an SSH key pair. The private half is told once and kept nowhere.
 * @param passphrase encrypts the private key in OpenSSH's own form; empty for none
 */
export async function makeKey(type: KeyType, comment: string, passphrase: string): Promise<MadeKey> {
  const key = sshpk.parsePrivateKey(await newKey(type), 'pem');
  key.comment = comment;
  const privateText = key.toBuffer('ssh-private', passphrase === '' ? {} : { passphrase }).toString('utf8');
  const parsed = parsePublicKey(key.toPublic().toString('ssh'));
  if (typeof parsed === 'string') throw new Error('a key that was just made could not be read');
  return {
    publicLine: `${publicKeyText(parsed)} ${comment}`.trim(),
    privateText,
    fingerprint: fingerprint(parsed.blob),
  };
}
