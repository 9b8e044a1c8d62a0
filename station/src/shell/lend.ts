import { connect, type Socket } from 'node:net';
import type { Client } from 'ssh2';

/** Connections at once by which a board may use what is lent to it. */
const MOST_LENT = 16;

/** Why a board cannot be lent anything, and what to do. */
export const LENDS_NOT =
  'The board takes no line for packages from the bench: its card was written before that was planned, or its login service forbids it. Write the card anew, or let the board fetch by its own line.';

/**
 * Carries connections from a port of a board's loopback to one of this computer's (RFC 4254, section 7.2).
 * @param lent the board's port
 * @param port this computer's
 * @param ended aborted when the login has ended
 */
export function carryLent(client: Client, lent: number, port: number, ended: AbortSignal): void {
  const sockets = new Set<Socket>();
  ended.addEventListener('abort', () => sockets.forEach((socket) => socket.destroy()), { once: true });
  client.on('tcp connection', ({ destPort }, accept, refuse) => {
    if (destPort !== lent || sockets.size >= MOST_LENT) {
      refuse();
      return;
    }
    const channel = accept();
    const socket = connect(port, '127.0.0.1');
    sockets.add(socket);
    socket.on('error', () => channel.close());
    socket.once('close', () => {
      sockets.delete(socket);
      channel.close();
    });
    channel.on('error', () => socket.destroy());
    channel.once('close', () => socket.destroy());
    channel.pipe(socket).pipe(channel);
  });
}
