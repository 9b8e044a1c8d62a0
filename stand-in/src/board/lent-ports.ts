import { chmod, mkdir, rm } from 'node:fs/promises';
import { createServer, type Server } from 'node:net';
import { join } from 'node:path';
import type { Connection } from 'ssh2';
import { LENT_FOLDER } from '../system/lent';

/**
 * Ports of a board's loopback that a login lends to it (RFC 4254, section 7.1). What runs on a practice board has a
 * network of its own each time, with nothing in it: connections go through a socket in the board's files, which
 * `system/lent.ts` carries to the port inside.
 */

const FIRST_PORT = 40_000;
let next = 0;

/** Serves what a login asks to lend. @param allowed whether its key may */
export function lendPorts(connection: Connection, root: string, allowed: () => boolean): void {
  const servers = new Map<number, Server>();
  const close = (port: number): void => {
    servers.get(port)?.close();
    servers.delete(port);
    void rm(join(root, LENT_FOLDER, String(port)), { force: true });
  };
  const open = async (address: string): Promise<number> => {
    const port = FIRST_PORT + (next++ % 20_000);
    const folder = join(root, LENT_FOLDER);
    await mkdir(folder, { recursive: true });
    await chmod(folder, 0o755);
    const path = join(folder, String(port));
    const server = createServer((socket) => {
      connection.forwardOut(address, port, '127.0.0.1', 0, (error, channel) => {
        if (error) {
          socket.destroy();
          return;
        }
        socket.on('error', () => channel.close());
        channel.on('error', () => socket.destroy());
        channel.once('close', () => socket.destroy());
        socket.pipe(channel).pipe(socket);
      });
    });
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(path, resolve);
    });
    servers.set(port, server);
    // Whoever runs on the board is nobody here.
    await chmod(path, 0o666);
    return port;
  };
  connection.on('request', (accept, reject, name, info) => {
    if (name !== 'tcpip-forward' || !allowed()) {
      reject?.();
      return;
    }
    open(info.bindAddr).then(
      (port) => accept?.(port),
      () => reject?.(),
    );
  });
  connection.once('close', () => [...servers.keys()].forEach(close));
}
