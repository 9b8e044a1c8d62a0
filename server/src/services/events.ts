import { EventEmitter } from 'node:events';
import type { ServerEvent } from '@nest-mark/core';

/** Hands events to everybody who listens, above all to the browsers' event streams. */
export class EventHub {
  private readonly emitter = new EventEmitter().setMaxListeners(0);

  send(event: ServerEvent): void {
    this.emitter.emit('event', event);
    // Made once for all streams: each keeps the same text while it waits, not a copy.
    if (this.emitter.listenerCount('text') > 0) this.emitter.emit('text', JSON.stringify(event));
  }

  /** Streams that are open. */
  get listeners(): number {
    return this.emitter.listenerCount('text');
  }

  /** As `listen`, with the event as JSON. */
  listenAsText(listener: (text: string) => void): () => void {
    this.emitter.on('text', listener);
    return () => this.emitter.off('text', listener);
  }

  /** @returns how to stop listening */
  listen(listener: (event: ServerEvent) => void): () => void {
    this.emitter.on('event', listener);
    return () => this.emitter.off('event', listener);
  }
}
