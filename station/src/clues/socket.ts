import { createSocket, type RemoteInfo, type Socket, type SocketOptions } from 'node:dgram';

/** Packets longer than this are of no protocol that is listened to here (RFC 6762 section 17: 9,000 octets). */
const LONGEST = 9000;
/** Packets a second that are looked at; whoever sends more is not heard out. */
const A_SECOND = 2000;

export interface Bound {
  socket: Socket;
  close(): Promise<void>;
}

/** A flood is let through up to a measure. */
function measured(
  take: (octets: Buffer, from: RemoteInfo) => void,
): (octets: Buffer, from: RemoteInfo) => void {
  let second = 0;
  let count = 0;
  return (octets, from) => {
    const now = Math.floor(performance.now() / 1000);
    if (now !== second) {
      second = now;
      count = 0;
    }
    if (++count <= A_SECOND && octets.length <= LONGEST) take(octets, from);
  };
}

/**
 * Opens a socket that passes packets on.
 * @throws what the system says when it cannot be bound
 */
export function bind(
  options: SocketOptions,
  where: { address: string; port: number },
  take: (octets: Buffer, from: RemoteInfo) => void,
): Promise<Bound> {
  const socket = createSocket(options);
  return new Promise((resolve, reject) => {
    socket.once('error', (error) => {
      socket.close();
      reject(error);
    });
    socket.bind({ ...where }, () => {
      socket.removeAllListeners('error');
      // A network that goes away while it is listened to is no reason to stop.
      socket.on('error', () => undefined);
      socket.on('message', measured(take));
      resolve({ socket, close: () => new Promise((closed) => socket.close(() => closed())) });
    });
  });
}
