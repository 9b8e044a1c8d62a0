import type { Request, RequestHandler } from 'express';
import type { EventHub, SentEvent } from './hub';

/** Keeps proxies and browsers from giving up on a quiet stream. */
const heartbeatMs = 15_000;

/** Octets that may wait for a client; one that does not read them is ended, and can connect again. */
const MOST_WAITING = 1 << 20;

/** The number of the last event that a browser has seen; null for one that begins. */
function lastSeen(request: Request): number | null {
  // A stream that another tab hands on is opened anew, and cannot set the header.
  const given = request.get('last-event-id') ?? request.query['after'];
  return typeof given === 'string' && /^\d{1,15}$/.test(given) ? Number(given) : null;
}

const asText = ({ id, text }: SentEvent): string =>
  `${id === null ? '' : `id: ${String(id)}\n`}data: ${text}\n\n`;

/**
 * The stream of server-sent events (WHATWG HTML section 9.2). A browser that was cut off says which event it saw last,
 * and gets the ones after it; where they are not kept any more it is told to start over.
 */
export const eventStream =
  (hub: EventHub): RequestHandler =>
  async (request, response) => {
    const send = (text: string): void => {
      if (response.writableLength > MOST_WAITING) response.destroy();
      else response.write(text);
    };
    /** What comes while the past is being read; null once that is done. */
    let held: SentEvent[] | null = [];
    let told = 0;
    const pass = (event: SentEvent): void => {
      if (event.id !== null && event.id <= told) return;
      told = event.id ?? told;
      send(asText(event));
    };
    const stop = hub.listen((event) => (held ? held.push(event) : pass(event)));
    const heartbeat = setInterval(() => response.headersSent && send(': still here\n\n'), heartbeatMs);
    response.on('close', () => {
      stop();
      clearInterval(heartbeat);
    });
    try {
      const seen = lastSeen(request);
      // Asked before the stream is opened: while the database is away there is none, and the browser tries again.
      const { oldest, newest } = await hub.repository.bounds();
      response.set({
        'Content-Type': 'text/event-stream',
        'Cache-Control': 'no-cache, no-transform',
        Connection: 'keep-alive',
      });
      response.flushHeaders();
      send(`retry: 1000\n\n`);
      if (seen === null || seen > newest || seen < oldest - 1) {
        // Says where it is, so that a cut before the first event loses nothing.
        told = newest;
        send(`${seen === null ? '' : 'event: start-over\ndata: {}\n'}id: ${String(newest)}\n\n`);
      } else {
        told = seen;
        for (
          let some = await hub.repository.after(seen);
          some.length > 0;
          some = await hub.repository.after(told)
        )
          for (const { id, body } of some) pass({ id, text: JSON.stringify(body) });
      }
    } catch (error) {
      if (!response.headersSent) throw error;
      // It went away in the middle: the browser comes back with what it saw last.
      response.end();
      return;
    }
    const late = held;
    held = null;
    for (const event of late) pass(event);
  };
