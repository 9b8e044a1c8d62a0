import {
  constants,
  createCipheriv,
  createHash,
  createPublicKey,
  publicEncrypt,
  randomBytes,
} from 'node:crypto';
import { SshReader, type SshPublicKey } from '@nest-mark/core';
import { ed25519, x25519 } from '@noble/curves/ed25519.js';
import { hkdf } from '@noble/hashes/hkdf.js';
import { sha256 } from '@noble/hashes/sha2.js';
import { Stanza, type Recipient } from 'age-encryption';

/**
 * SSH keys as recipients of age files (age's own document of its format, "The ssh-ed25519 recipient type" and "The
 * ssh-rsa recipient type"). Debian's age opens what is made here in the tests.
 */

const bare = (octets: Uint8Array): string => Buffer.from(octets).toString('base64').replace(/=+$/, '');
const tagOf = (blob: Uint8Array): string => bare(createHash('sha256').update(blob).digest().subarray(0, 4));
const ED25519 = 'age-encryption.org/v1/ssh-ed25519';
const RSA = 'age-encryption.org/v1/ssh-rsa';
const utf8 = (text: string): Uint8Array => new Uint8Array(Buffer.from(text));

/** Seals a file key under a key that is used once, so with a nonce of zeros (age's format, "Recipient stanza"). */
function seal(fileKey: Uint8Array, key: Uint8Array): Uint8Array {
  const cipher = createCipheriv('chacha20-poly1305', key, Buffer.alloc(12), { authTagLength: 16 });
  const body = Buffer.concat([cipher.update(fileKey), cipher.final()]);
  return new Uint8Array(Buffer.concat([body, cipher.getAuthTag()]));
}

function toEd25519(blob: Uint8Array, point: Uint8Array): Recipient {
  const theirs = ed25519.utils.toMontgomery(point);
  return {
    wrapFileKey(fileKey) {
      const ephemeral = new Uint8Array(randomBytes(32));
      const share = x25519.getPublicKey(ephemeral);
      const tweak = hkdf(sha256, new Uint8Array(0), blob, utf8(ED25519), 32);
      const shared = x25519.scalarMult(tweak, x25519.scalarMult(ephemeral, theirs));
      const salt = new Uint8Array([...share, ...theirs]);
      const key = hkdf(sha256, shared, salt, utf8(ED25519), 32);
      return [new Stanza(['ssh-ed25519', tagOf(blob), bare(share)], seal(fileKey, key))];
    },
  };
}

function toRsa(blob: Uint8Array, exponent: Uint8Array, modulus: Uint8Array): Recipient {
  const url = (octets: Uint8Array): string => Buffer.from(octets).toString('base64url');
  // A multiple-precision integer may begin with a zero for its sign (RFC 4251, section 5); a JWK must not.
  const unsigned = (octets: Uint8Array): Uint8Array => (octets[0] === 0 ? octets.subarray(1) : octets);
  const key = createPublicKey({
    key: { kty: 'RSA', e: url(unsigned(exponent)), n: url(unsigned(modulus)) },
    format: 'jwk',
  });
  return {
    wrapFileKey(fileKey) {
      const body = publicEncrypt(
        {
          key,
          padding: constants.RSA_PKCS1_OAEP_PADDING,
          oaepHash: 'sha256',
          oaepLabel: Buffer.from(RSA),
        },
        fileKey,
      );
      return [new Stanza(['ssh-rsa', tagOf(blob)], new Uint8Array(body))];
    },
  };
}

/** A recipient by an SSH public key; null for a kind that age has no form for. */
export function sshRecipient(key: SshPublicKey): Recipient | null {
  const reader = new SshReader(key.blob);
  const type = reader.text();
  const [first, second] = [reader.string(), reader.string()];
  if (type === 'ssh-ed25519' && first?.length === 32) return toEd25519(key.blob, first);
  if (type === 'ssh-rsa' && first && second) return toRsa(key.blob, first, second);
  return null;
}
