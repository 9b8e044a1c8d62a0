import { Client } from 'ssh2';
import { blobType, toBase64 } from '@nest-mark/core';

/** A host key as a login service shows it. */
export interface ShownKey {
  /** `type base64`, without comment. */
  hostKey: string;
  /** Whether the service's signature over the key exchange was right, so that it holds the private key. */
  proven: boolean;
}

/** Ed25519 first: that is the key that we put onto the card. */
const serverHostKey = ['ssh-ed25519', 'ecdsa-sha2-nistp256', 'rsa-sha2-512', 'rsa-sha2-256'] as const;

function attempt(address: string, port: number, timeoutMs: number): Promise<ShownKey | null> {
  return new Promise((resolve) => {
    const client = new Client();
    let shown: ShownKey | null = null;
    const end = (): void => {
      clearTimeout(timer);
      client.destroy();
      resolve(shown);
    };
    const timer = setTimeout(end, timeoutMs);
    // The library asks about the key before it checks the signature. Only the completed handshake is a proof:
    // anybody can show a public key.
    client.on('handshake', () => {
      if (shown) shown = { ...shown, proven: true };
      end();
    });
    client.on('error', end);
    client.on('close', end);
    client.connect({
      host: address,
      port,
      username: 'nest-mark-probe',
      readyTimeout: timeoutMs,
      algorithms: { serverHostKey: [...serverHostKey] },
      // No login is tried.
      authHandler: () => false,
      hostVerifier: (key: Buffer) => {
        shown = { hostKey: `${blobType(key)} ${toBase64(key)}`, proven: false };
        return true;
      },
    });
  });
}

const pause = (milliseconds: number): Promise<void> =>
  new Promise((resolve) => setTimeout(resolve, milliseconds));

/**
 * Asks an SSH server for its host key and lets it prove that it holds it (RFC 4253 section 8). A service that
 * restarts at the end of a first boot resets connections for some seconds, so it is asked again.
 * @returns null when no key could be had
 */
export async function fetchHostKey(
  address: string,
  port: number,
  tries = 3,
  timeoutMs = 5000,
): Promise<ShownKey | null> {
  let best: ShownKey | null = null;
  for (let round = 0; round < tries; round++) {
    if (round > 0) await pause(400 * round);
    const shown = await attempt(address, port, timeoutMs);
    if (shown?.proven) return shown;
    best = shown ?? best;
  }
  return best;
}
