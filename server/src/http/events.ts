import type { RequestHandler } from 'express';
import type { Context } from '../services/context';

/** Keeps proxies and browsers from giving up on a quiet stream. */
const heartbeatMs = 15_000;

/** Octets that may wait for a client; one that does not read them is ended, and can connect again. */
const MOST_WAITING = 1 << 20;

/** The stream of server-sent events (WHATWG HTML section 9.2). */
export const eventStream =
  (context: Context): RequestHandler =>
  (_request, response) => {
    response.set({
      'Content-Type': 'text/event-stream',
      'Cache-Control': 'no-cache, no-transform',
      Connection: 'keep-alive',
    });
    response.flushHeaders();
    const send = (text: string): void => {
      if (response.writableLength > MOST_WAITING) response.destroy();
      else response.write(text);
    };
    send('retry: 1000\n\n');
    const stop = context.events.listenAsText((text) => send(`data: ${text}\n\n`));
    const heartbeat = setInterval(() => send(': still here\n\n'), heartbeatMs);
    response.on('close', () => {
      stop();
      clearInterval(heartbeat);
    });
  };
