import type { IncomingMessage, Server } from 'node:http';
import type { Duplex } from 'node:stream';
import { WebSocketServer, type RawData, type WebSocket } from 'ws';
import { TerminalWordSchema } from '@nest-mark/core';
import { isOwnPage } from '../platform/http/guard';
import type { Admission } from '../platform/sessions/admission';
import type { Terminals } from './domain';
import { endTerminal } from './end';
import { Shown, type OpenTerminal } from './open-terminals';

/** Octets of one word from a browser. */
const MOST_OCTETS = 65_536;
/** Octets that a browser may be behind before the board is held. */
const BEHIND = 1 << 20;
/** Milliseconds without a key after which a terminal ends. */
const IDLE_MS = 30 * 60_000;
/** Milliseconds in which a browser may say goodbye. */
const GOODBYE_MS = 500;
/** Milliseconds between two times that what is shown is kept. */
const KEEP_EVERY = 5000;

const PATH = /^\/api\/terminals\/([\w-]{20,60})$/;

const octetsOf = (data: RawData): Buffer =>
  Array.isArray(data) ? Buffer.concat(data) : Buffer.isBuffer(data) ? data : Buffer.from(data);

/** Carries octets between a browser and its board, until one of them leaves. */
function carry(terminals: Terminals, socket: WebSocket, one: OpenTerminal): void {
  const shown = new Shown(one.secrets);
  let over = false;
  let idle: NodeJS.Timeout | undefined;
  const end = (why: string): void => {
    if (over) return;
    over = true;
    clearTimeout(idle);
    clearInterval(keeping);
    terminals.closing.removeEventListener('abort', stop);
    socket.close(1000, why);
    // A browser that is gone does not answer, and the end of the program does not wait for it.
    setTimeout(() => socket.terminate(), GOODBYE_MS).unref();
    void endTerminal(terminals, one, shown.kept).catch(() => undefined);
  };
  const stop = (): void => end('the program stops');
  const wake = (): void => {
    clearTimeout(idle);
    idle = setTimeout(() => end('nobody typed for half an hour'), IDLE_MS);
  };
  const keeping = setInterval(() => {
    if (one.keep) void terminals.repository.keep(one.id, shown.kept).catch(() => undefined);
  }, KEEP_EVERY);
  terminals.closing.addEventListener('abort', stop);
  wake();
  one.terminal.listen(
    (data) => {
      if (one.keep) shown.add(data);
      socket.send(data, () => {
        if (socket.bufferedAmount < BEHIND / 2) one.terminal.resume();
      });
      if (socket.bufferedAmount > BEHIND) one.terminal.pause();
    },
    () => end('the board ended it'),
  );
  socket.on('message', (data, binary) => {
    wake();
    if (binary) {
      one.terminal.write(octetsOf(data));
      return;
    }
    const word = TerminalWordSchema.safeParse(parsed(octetsOf(data).toString('utf8')));
    if (word.success) one.terminal.resize(word.data);
    else end('a word that is none');
  });
  socket.on('close', () => end(''));
  socket.on('error', () => end(''));
  one.terminal.resume();
}

function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return null;
  }
}

const refuse = (socket: Duplex, status: string): void => {
  socket.end(`HTTP/1.1 ${status}\r\nConnection: close\r\nContent-Length: 0\r\n\r\n`);
};

/**
 * Serves the web sockets by which browsers come for their terminals. What the application asks of every request is asked
 * here too: the name it is called by, the page it comes from, who it is; and a ticket that is good once.
 */
export function serveTerminals(server: Server, admission: Admission, terminals: Terminals): void {
  const sockets = new WebSocketServer({ noServer: true, maxPayload: MOST_OCTETS, perMessageDeflate: false });
  const come = async (request: IncomingMessage, socket: Duplex, head: Buffer): Promise<void> => {
    const ticket = PATH.exec(request.url ?? '')?.[1];
    // A browser always says from which page a web socket comes (RFC 6455, section 10.2).
    if (ticket === undefined || request.headers.origin === undefined || !isOwnPage(request.headers)) {
      refuse(socket, '403 Forbidden');
      return;
    }
    const who = await admission.admits(request);
    const one = who === null ? null : terminals.open.take(ticket, who);
    if (!one) {
      refuse(socket, who === null ? '401 Unauthorized' : '404 Not Found');
      return;
    }
    sockets.handleUpgrade(request, socket, head, (web) => carry(terminals, web, one));
  };
  terminals.closing.addEventListener('abort', () => terminals.open.leave(), { once: true });
  server.on('upgrade', (request: IncomingMessage, socket: Duplex, head: Buffer) => {
    socket.on('error', () => socket.destroy());
    come(request, socket, head).catch(() => refuse(socket, '500 Internal Server Error'));
  });
}
