import { createServer, type Socket } from 'node:net';

/** Port of the first display (RFC 6143, section 7; common practice). */
const PORT = 5900;

/**
 * A remote screen that asks for no password, as far as its handshake goes before anybody sees anything (RFC 6143, sections
 * 7.1.1 and 7.1.2).
 * @returns how to close it; where the port cannot be had there is none, as on a board whose screen did not start
 */
export function openScreen(address: string): Promise<() => Promise<void>> {
  const talks = new Set<Socket>();
  const server = createServer((socket) => {
    talks.add(socket);
    socket.on('close', () => talks.delete(socket));
    socket.on('error', () => undefined);
    socket.write('RFB 003.008\n');
    let heard = 0;
    socket.on('data', (data) => {
      // After its version the client is told the ways: one, which is none at all.
      if (heard < 12 && heard + data.length >= 12) socket.write(Buffer.from([1, 1]));
      heard += data.length;
      if (heard > 4096) socket.destroy();
    });
  });
  return new Promise((resolve) => {
    server.once('error', () => resolve(() => Promise.resolve()));
    server.listen(PORT, address, () =>
      resolve(
        () =>
          new Promise((closed) => {
            server.close(() => closed());
            for (const socket of talks) socket.destroy();
          }),
      ),
    );
  });
}
