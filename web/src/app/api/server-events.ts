import { Injectable, signal } from '@angular/core';
import { Subject, type Observable } from 'rxjs';
import { ServerEventSchema, type ServerEvent } from '@nest-mark/core/api';

/** The server's event stream. The browser connects anew by itself when it was cut. */
@Injectable({ providedIn: 'root' })
export class ServerEvents {
  private readonly subject = new Subject<ServerEvent>();
  private readonly connects = new Subject<void>();
  private readonly state = signal<'connecting' | 'open' | 'lost'>('connecting');

  readonly connection = this.state.asReadonly();
  readonly events: Observable<ServerEvent> = this.subject.asObservable();
  /** Fires at every connection: what was missed in between has to be read again. */
  readonly connected: Observable<void> = this.connects.asObservable();

  constructor() {
    this.open();
  }

  private open(): void {
    const source = new EventSource('/api/events');
    source.onopen = () => {
      this.state.set('open');
      this.connects.next();
    };
    source.onerror = () => {
      this.state.set('lost');
      // A browser gives up for good after some kinds of failure.
      if (source.readyState === EventSource.CLOSED) setTimeout(() => this.open(), 2000);
    };
    source.onmessage = ({ data }: MessageEvent<string>) => {
      const event = ServerEventSchema.safeParse(JSON.parse(data));
      if (event.success) this.subject.next(event.data);
    };
  }
}
