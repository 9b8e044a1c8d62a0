import { inject, Injectable, signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { firstValueFrom } from 'rxjs';
import { UPLOAD_PIECE, type Problem, type Upload } from '@nest-mark/core/api';
import { asProblem, handlingOf } from '../api/api-problem';
import { CardsApi } from '../api/cards-api';
import { ImagesActions } from '../state/images.reducer';

/** A file on its way to the shelf. */
export interface Sending {
  name: string;
  size: number;
  sent: number;
  /** Octets per second since it began; 0 while that is not known. */
  rate: number;
  state: 'sending' | 'waiting' | 'failed';
  problem: Problem | null;
}

/** Milliseconds to wait before a broken connection is tried again. */
const retryAfter = 2000;
/** Times that is tried in a row: a restart of the server takes seconds. */
const retries = 30;

/** Sends an image in pieces and goes on after a break; leaving the page does not stop it. */
@Injectable({ providedIn: 'root' })
export class Uploader {
  private readonly api = inject(CardsApi);
  private readonly store = inject(Store);
  private stopped = false;
  readonly sending = signal<Sending | null>(null);

  /** @param wait how to pause between tries; for tests */
  wait = (milliseconds: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, milliseconds));

  /** Sends a file; one at a time. */
  async send(file: File, title: string, sha256: string): Promise<void> {
    if (this.sending()?.state === 'sending') return;
    this.stopped = false;
    this.sending.set({ name: file.name, size: file.size, sent: 0, rate: 0, state: 'sending', problem: null });
    const wish = { name: file.name, size: file.size, modified: file.lastModified, title, sha256 };
    for (let left = retries; ; left--)
      try {
        const begun = await firstValueFrom(this.api.beginUpload(wish));
        left = retries;
        await this.sendFrom(file, begun);
        return;
      } catch (error) {
        const problem = asProblem(error);
        // The server is away, or has another piece than we thought: both are mended by asking again.
        if (left > 0 && this.goesOn() && ['wait', 'go-on'].includes(handlingOf(problem))) {
          this.change({ state: 'waiting' });
          await this.wait(retryAfter);
          this.change({ state: 'sending' });
          continue;
        }
        this.change({ state: 'failed', problem });
        return;
      }
  }

  /** Stops sending; what has arrived is kept and the same file goes on from there. */
  stop(): void {
    this.stopped = true;
    this.sending.set(null);
  }

  private goesOn(): boolean {
    return !this.stopped;
  }

  private change(change: Partial<Sending>): void {
    this.sending.update((now) => now && { ...now, ...change });
  }

  private async sendFrom(file: File, begun: Upload): Promise<void> {
    const since = performance.now();
    let now = begun;
    while (this.goesOn()) {
      const seconds = (performance.now() - since) / 1000;
      const rate = seconds > 0.5 ? (now.received - begun.received) / seconds : 0;
      this.change({ sent: now.received, rate });
      if (now.image) {
        this.store.dispatch(ImagesActions.oneCame({ image: now.image }));
        this.sending.set(null);
        return;
      }
      const piece = file.slice(now.received, now.received + UPLOAD_PIECE);
      now = await firstValueFrom(this.api.sendPiece(begun.id, now.received, piece));
    }
  }
}
