import { EventEmitter } from 'node:events';
import type { ServerEvent } from '@nest-mark/core';

/** Hands events to everybody who listens, above all to the browsers' event streams. */
export class EventHub {
  private readonly emitter = new EventEmitter().setMaxListeners(0);

  send(event: ServerEvent): void {
    this.emitter.emit('event', event);
  }

  /** @returns how to stop listening */
  listen(listener: (event: ServerEvent) => void): () => void {
    this.emitter.on('event', listener);
    return () => this.emitter.off('event', listener);
  }
}
