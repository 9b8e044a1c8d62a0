import { Injectable, signal } from '@angular/core';
import { Subject, type Observable } from 'rxjs';
import * as z from 'zod';
import { ServerEventSchema, type ServerEvent } from '@nest-mark/core/api';

/** Name of the lock that one tab of a browser holds, and of the channel on which it passes events on. */
const NAME = 'nest-mark-events';
/** Milliseconds before a stream that the browser gave up is opened anew. */
const OPEN_AGAIN = 2000;

/** What the tab with the stream tells the others, and `ask`, with which a new one asks how things stand. */
const WordSchema = z.discriminatedUnion('say', [
  z.object({ say: z.literal('event'), id: z.string(), text: z.string() }),
  z.object({ say: z.literal('open') }),
  z.object({ say: z.literal('lost') }),
  z.object({ say: z.literal('ask') }),
]);
type Word = z.infer<typeof WordSchema>;

/**
 * The server's event stream, one for all tabs of a browser: it opens six connections to a host and no more, and a stream
 * keeps one for itself. The tab that holds the lock has the stream and passes events on; when it is closed the next one
 * goes on after the last event that it has seen.
 */
@Injectable({ providedIn: 'root' })
export class ServerEvents {
  private readonly subject = new Subject<ServerEvent>();
  private readonly connects = new Subject<void>();
  private readonly state = signal<'connecting' | 'open' | 'lost'>('connecting');
  private channel: BroadcastChannel | null = null;
  /** Number of the last event that came; empty before the first. */
  private last = '';
  /** Whether this tab has the stream. */
  private leads = false;

  readonly connection = this.state.asReadonly();
  readonly events: Observable<ServerEvent> = this.subject.asObservable();
  /** Fires at every connection: what was missed in between has to be read again. */
  readonly connected: Observable<void> = this.connects.asObservable();

  constructor() {
    if (typeof BroadcastChannel === 'undefined' || !('locks' in navigator)) this.open();
    else this.share();
  }

  private share(): void {
    this.channel = new BroadcastChannel(NAME);
    this.channel.onmessage = ({ data }: MessageEvent<unknown>) => this.hear(data);
    this.channel.postMessage({ say: 'ask' } satisfies Word);
    // Held for as long as this page lives.
    void navigator.locks.request(NAME, () => {
      this.leads = true;
      this.open();
      return new Promise<never>(() => undefined);
    });
  }

  private hear(data: unknown): void {
    const word = WordSchema.safeParse(data).data;
    if (!word) return;
    if (word.say === 'ask') {
      if (this.leads && this.state() === 'open') this.say({ say: 'open' });
    } else if (!this.leads) this.take(word);
  }

  /** Takes something in, from the stream or from the tab that has it. */
  private take(word: Word): void {
    if (word.say === 'event') this.came(word.id, word.text);
    else if (word.say === 'lost') this.state.set('lost');
    else if (word.say === 'open') {
      this.state.set('open');
      this.connects.next();
    }
  }

  private say(word: Word): void {
    this.channel?.postMessage(word);
  }

  private open(): void {
    const source = new EventSource(`/api/events${this.last === '' ? '' : `?after=${this.last}`}`);
    const told = (word: Word): void => {
      this.take(word);
      this.say(word);
    };
    source.onopen = () => told({ say: 'open' });
    source.onerror = () => {
      told({ say: 'lost' });
      // A browser gives up for good after some kinds of failure.
      if (source.readyState === EventSource.CLOSED) setTimeout(() => this.open(), OPEN_AGAIN);
    };
    source.onmessage = ({ data, lastEventId }: MessageEvent<string>) =>
      told({ say: 'event', id: lastEventId, text: data });
    // What was missed is not kept any more: everything is read again, as after a connection.
    source.addEventListener('start-over', () => told({ say: 'open' }));
  }

  private came(id: string, text: string): void {
    if (/^\d+$/.test(id)) this.last = id;
    const event = ServerEventSchema.safeParse(JSON.parse(text));
    if (event.success) this.subject.next(event.data);
  }
}
