import type { RequestHandler } from 'express';
import type { Context } from '../services/context';

/** Keeps proxies and browsers from giving up on a quiet stream. */
const heartbeatMs = 15_000;

/** The stream of server-sent events (WHATWG HTML section 9.2). */
export const eventStream =
  (context: Context): RequestHandler =>
  (request, response) => {
    response.set({
      'Content-Type': 'text/event-stream',
      'Cache-Control': 'no-cache, no-transform',
      Connection: 'keep-alive',
    });
    response.flushHeaders();
    response.write('retry: 1000\n\n');
    const stop = context.events.listen((event) => response.write(`data: ${JSON.stringify(event)}\n\n`));
    const heartbeat = setInterval(() => response.write(': still here\n\n'), heartbeatMs);
    request.on('close', () => {
      stop();
      clearInterval(heartbeat);
    });
  };
