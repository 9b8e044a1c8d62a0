import { timingSafeEqual } from 'node:crypto';
import { fromBase64 } from '@nest-mark/core';
import { Client } from 'ssh2';
import type { ShellPlace } from '../shell/shell';
import { ShellError } from '../shell/shell-error';

const PATIENCE = 10_000;

/**
 * The ways of logging in that a board's login service offers to a user, after it has proved its host key in this very
 * connection. Nothing is tried: the client asks for no authentication and is told what there is (RFC 4252, section 5.2).
 * @throws ShellError when it does not answer, or signs with another key
 */
export function loginWays(place: ShellPlace, user: string): Promise<string[]> {
  const planned = fromBase64(place.hostKey.split(' ')[1] ?? '');
  return new Promise((resolve, reject) => {
    const client = new Client();
    let settled = false;
    const give = (ways: string[] | ShellError): void => {
      if (settled) return;
      settled = true;
      client.destroy();
      if (ways instanceof ShellError) reject(ways);
      else resolve(ways);
    };
    client.on('error', (error: Error & { level?: string; code?: string }) => {
      if (/Host denied|verification failed/.test(error.message))
        give(new ShellError('other-key', 'What answers there signs with another key than planned.'));
      else
        give(
          new ShellError('away', `Nobody answers there as a board does (${error.code ?? error.message}).`),
        );
    });
    client.on('close', () => give(new ShellError('lost', 'The connection broke off.')));
    // It lets everybody in: that is a way too.
    client.on('ready', () => give(['none']));
    if (!planned) {
      give(new ShellError('no-key', 'No host key is planned for it.'));
      return;
    }
    client.connect({
      host: place.address,
      port: place.port,
      username: user,
      readyTimeout: PATIENCE,
      algorithms: { serverHostKey: ['ssh-ed25519'] },
      hostVerifier: (key: Buffer) => key.length === planned.length && timingSafeEqual(key, planned),
      authHandler: (left, _partial, next) => {
        // The first call knows nothing yet: null stands for it.
        const known = left as string[] | null;
        if (known === null) next({ type: 'none', username: user });
        else {
          give(known);
          next(false as never);
        }
      },
    });
  });
}
