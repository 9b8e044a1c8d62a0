import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto';
import { closeSync, existsSync, fchmodSync, openSync, readFileSync, writeSync } from 'node:fs';

const ivLength = 12;
const tagLength = 16;

/** The key file cannot be used. */
export class VaultError extends Error {
  override readonly name = 'VaultError';
}

/** Reads the key file, or makes one that only its owner can read. @throws VaultError when it has another length */
export function readKeyFile(path: string): Buffer {
  if (!existsSync(path)) {
    const file = openSync(path, 'wx', 0o600);
    fchmodSync(file, 0o600);
    writeSync(file, randomBytes(32));
    closeSync(file);
  }
  const key = readFileSync(path);
  if (key.length !== 32)
    throw new VaultError(`The key file ${path} is damaged: 32 bytes are expected. Put back your copy of it.`);
  return key;
}

/**
 * Secrets at rest: AES-256-GCM (NIST SP 800-38D), a random 96-bit nonce each, bound to owner and kind so that
 * a sealed value cannot be moved to another place.
 */
export class Seal {
  constructor(private readonly key: Buffer) {}

  /** @param place owner and kind */
  close(value: string, place: string): Buffer {
    const iv = randomBytes(ivLength);
    const cipher = createCipheriv('aes-256-gcm', this.key, iv).setAAD(Buffer.from(place));
    const body = Buffer.concat([cipher.update(value, 'utf8'), cipher.final()]);
    return Buffer.concat([iv, cipher.getAuthTag(), body]);
  }

  /** @throws VaultError when it was sealed with another key or altered */
  open(sealed: Buffer, place: string): string {
    try {
      const decipher = createDecipheriv('aes-256-gcm', this.key, sealed.subarray(0, ivLength))
        .setAAD(Buffer.from(place))
        .setAuthTag(sealed.subarray(ivLength, ivLength + tagLength));
      return Buffer.concat([
        decipher.update(sealed.subarray(ivLength + tagLength)),
        decipher.final(),
      ]).toString('utf8');
    } catch {
      throw new VaultError(
        'A kept secret cannot be read: the key file is not the one it was sealed with. Type the secret again.',
      );
    }
  }
}
