import { EventEmitter } from 'node:events';
import { setTimeout as pause } from 'node:timers/promises';
import { ServerEventSchema, type ServerEvent } from '@nest-mark/core';
import * as z from 'zod';
import type { Hearing } from '../database/listener';
import { unpacked } from './packed';
import { EVENT_CHANNEL, FIGURE_CHANNEL, type EventRepository, type KeptEvent } from './repository';

/** Milliseconds before what could not be kept is tried again. */
const TRY_AGAIN = 500;
/** Events that wait while the database is away; what browsers missed they read anew. */
const MOST_WAITING = 1000;

const FiguresSchema = z.object({ from: z.string(), event: ServerEventSchema });

/** An event as it goes to a browser: with its number when it is kept. */
export interface SentEvent {
  id: number | null;
  text: string;
}

/**
 * Brings events to the browsers of every station: they go into a table, the database calls all stations, and each reads
 * what is new and hands it to its streams in the table's order.
 */
export class EventHub {
  private readonly emitter = new EventEmitter().setMaxListeners(0);
  private waiting: ServerEvent[] = [];
  private keeping: Promise<void> | null = null;
  private reading: Promise<void> | null = null;
  private again = false;
  private last = 0;

  constructor(
    readonly repository: EventRepository,
    private readonly station: string,
    private readonly closing: AbortSignal,
  ) {}

  /** What this hub wants to hear from the database. */
  readonly hearings: readonly Hearing[] = [
    { channel: EVENT_CHANNEL, heard: () => this.look() },
    { channel: FIGURE_CHANNEL, heard: (payload) => this.hearFigures(payload) },
  ];

  /** Begins after the events that there are. */
  async start(): Promise<void> {
    this.last = (await this.repository.bounds()).newest;
  }

  /** Tells all browsers of all stations, also those that are away for a moment. */
  send(event: ServerEvent): void {
    const text = JSON.stringify(event);
    // Of several alike that wait one says it all.
    this.waiting = this.waiting.filter((other) => JSON.stringify(other) !== text);
    this.waiting.push(event);
    if (this.waiting.length > MOST_WAITING) this.waiting.shift();
    this.keeping ??= this.keep().finally(() => (this.keeping = null));
  }

  /** Tells figures that are worth nothing later: at once here, as soon as they come elsewhere. */
  tell(event: ServerEvent): void {
    this.emit(null, event);
    this.repository.tell(this.station, event).catch(() => undefined);
  }

  /** Reads what is new; called when the database says so, and after each connection to it. */
  look(): void {
    if (this.reading) {
      this.again = true;
      return;
    }
    this.reading = this.read()
      .catch(() => undefined)
      .finally(() => {
        this.reading = null;
        if (this.again) {
          this.again = false;
          this.look();
        }
      });
  }

  /** Waits until what was sent is kept, for the end of the program. */
  async settled(): Promise<void> {
    await this.keeping;
    await this.reading;
  }

  /** Streams that are open. */
  get listeners(): number {
    return this.emitter.listenerCount('event');
  }

  /** @returns how to stop listening */
  listen(listener: (event: SentEvent) => void): () => void {
    this.emitter.on('event', listener);
    return () => this.emitter.off('event', listener);
  }

  private async keep(): Promise<void> {
    // What is sent in one breath goes in one statement.
    await Promise.resolve();
    while (this.waiting.length > 0) {
      const some = this.waiting;
      this.waiting = [];
      try {
        await this.repository.add(some);
      } catch {
        if (this.closing.aborted) return;
        this.waiting = [...some, ...this.waiting].slice(-MOST_WAITING);
        await pause(TRY_AGAIN, undefined, { signal: this.closing }).catch(() => undefined);
      }
    }
  }

  private async read(): Promise<void> {
    for (;;) {
      const events = await this.repository.after(this.last);
      for (const event of events) this.emitKept(event);
      if (events.length === 0) return;
    }
  }

  private emitKept({ id, body }: KeptEvent): void {
    this.last = id;
    this.emit(id, body);
  }

  private hearFigures(payload: string): void {
    try {
      const { from, event } = FiguresSchema.parse(JSON.parse(unpacked(payload)));
      if (from !== this.station) this.emit(null, event);
    } catch {
      // Another version's figures: the next state in the table tells.
    }
  }

  private emit(id: number | null, event: ServerEvent): void {
    // Made once for all streams: each keeps the same text while it waits, not a copy.
    if (this.listeners > 0)
      this.emitter.emit('event', { id, text: JSON.stringify(event) } satisfies SentEvent);
  }
}
