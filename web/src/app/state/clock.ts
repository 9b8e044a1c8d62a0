import { Injectable, signal } from '@angular/core';

/** The present time in milliseconds since 1970, once a second, for everything that counts on. */
@Injectable({ providedIn: 'root' })
export class Clock {
  private readonly time = signal(Date.now());
  readonly now = this.time.asReadonly();

  constructor() {
    setInterval(() => this.time.set(Date.now()), 1000);
  }
}
