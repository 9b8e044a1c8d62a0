import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import { isOwnAddress } from '@nest-mark/core';
import { readCallIn, type Clue } from '@nest-mark/core/find';
import { ClueError, type ClueListener } from './ports';

/** Octets of a call that are taken; a whole one of cloud-init has 200. */
const BODY = 8 << 10;
/** Calls from one address within that many milliseconds; a board makes one, and repeats it a few times. */
const CALLS = 10;
const WITHIN = 10_000;
/** Addresses that are counted; of more the oldest is forgotten. */
const ADDRESSES = 1024;

/** How often each address called of late. */
class Calls {
  private readonly counted = new Map<string, { count: number; from: number }>();

  /** Whether an address has called too often. */
  tooMany(address: string, now: number): boolean {
    const known = this.counted.get(address);
    const entry = known && now - known.from < WITHIN ? known : { count: 0, from: now };
    entry.count++;
    this.counted.delete(address);
    this.counted.set(address, entry);
    if (this.counted.size > ADDRESSES) {
      const [oldest] = this.counted.keys();
      if (oldest !== undefined) this.counted.delete(oldest);
    }
    return entry.count > CALLS;
  }
}

const end = (response: ServerResponse, status: number): void => {
  response.writeHead(status, { connection: 'close' }).end();
};

/** Takes one call. Whoever calls learns nothing: it is thanked whether its mark is known or not. */
function take(
  request: IncomingMessage,
  response: ServerResponse,
  calls: Calls,
  onClue: (clue: Clue) => void,
): void {
  const address = request.socket.remoteAddress ?? '';
  if (calls.tooMany(address, performance.now())) return end(response, 429);
  if (request.method !== 'POST') return end(response, 404);
  const parts: Buffer[] = [];
  let length = 0;
  request.on('error', () => undefined);
  request.on('data', (part: Buffer) => {
    length += part.length;
    if (length <= BODY) parts.push(part);
    else if (!response.headersSent) end(response, 413);
  });
  request.on('end', () => {
    if (response.headersSent) return;
    const call = readCallIn(request.url ?? '', Buffer.concat(parts).toString('latin1'));
    // A path that is none of ours is as good as a refusal; anything else is answered at once, since a board that gets
    // no answer holds its boot up.
    if (!call) return end(response, 404);
    end(response, 204);
    // Nobody outside is called back.
    if (!isOwnAddress(address)) return;
    onClue({
      source: 'call-in',
      at: Date.now(),
      address,
      hardwareAddress: null,
      name: call.hostName,
      mark: call.mark,
      kind: 'here',
    });
  });
}

/** One address and port on which is listened, for everybody who does. */
interface Desk {
  server: Server;
  hearers: Set<(clue: Clue) => void>;
  open: Promise<void>;
}
const desks = new Map<string, Desk>();

/** Why calls cannot be heard, and what to do. */
function reason(error: unknown, { address, port }: { address: string; port: number }): string {
  const { code = '' } = error as NodeJS.ErrnoException;
  const where = `${address}:${String(port)}`;
  if (code === 'EADDRNOTAVAIL')
    return `The cards of this batch call ${where}, and this computer does not have that address now. Give it that address back, or go by the other clues.`;
  if (code === 'EACCES')
    return `Port ${String(port)} may not be opened by this program. Choose one above 1023 in the plan before the next cards are written; these boards are found by the other clues.`;
  if (code === 'EADDRINUSE')
    return `Another program of this computer has ${where}. End it, or go by the other clues.`;
  return `Calls cannot be heard: ${error instanceof Error ? error.message : String(error)}.`;
}

function openDesk(key: string, where: { address: string; port: number }): Desk {
  const calls = new Calls();
  const hearers: Desk['hearers'] = new Set();
  const server = createServer(
    { maxHeaderSize: 4096, headersTimeout: 3000, requestTimeout: 5000, connectionsCheckingInterval: 1000 },
    (request, response) =>
      take(request, response, calls, (clue) => {
        for (const hear of hearers) hear(clue);
      }),
  );
  server.maxConnections = 64;
  const open = new Promise<void>((resolve, reject) => {
    server.once('error', (error) => {
      desks.delete(key);
      reject(error);
    });
    server.listen({ host: where.address, port: where.port }, () => {
      server.removeAllListeners('error');
      server.on('error', () => undefined);
      resolve();
    });
  });
  const desk = { server, hearers, open };
  desks.set(key, desk);
  return desk;
}

/** Ends when the last of those who listen does; the port is free then. */
async function leave(key: string, desk: Desk, hear: (clue: Clue) => void): Promise<void> {
  // Who leaves again has nothing to end; by then the address may be somebody else's.
  if (!desk.hearers.delete(hear) || desk.hearers.size > 0) return;
  if (desks.get(key) === desk) desks.delete(key);
  await new Promise<void>((closed) => {
    desk.server.close(() => closed());
    desk.server.closeAllConnections();
  });
}

/**
 * Hears boards call at the end of their first boot: a listener of its own, on the one address that their cards name and
 * for as long as somebody listens. Two who listen for different batches at one address share it.
 */
export const callIn: ClueListener = {
  source: 'call-in',
  async listen({ callIn: where }, onClue) {
    if (!where)
      throw new ClueError(
        'The cards of this batch call nobody: that is chosen in the plan before they are written. The other clues do without.',
      );
    const key = `${where.address}:${String(where.port)}`;
    const desk = desks.get(key) ?? openDesk(key, where);
    // Of its own for each who listens, so that leaving twice takes nobody else away.
    const hear = (clue: Clue): void => onClue(clue);
    desk.hearers.add(hear);
    try {
      await desk.open;
    } catch (error) {
      throw new ClueError(reason(error, where));
    }
    return () => leave(key, desk, hear);
  },
};
