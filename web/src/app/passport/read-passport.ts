import { effect, inject, Injectable, signal, untracked, DestroyRef } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { auditTime, combineLatest } from 'rxjs';
import type { LogEntry, Passport, Problem } from '@nest-mark/core/api';
import { Api } from '../api/api';
import { asProblem } from '../api/api-problem';
import { ServerEvents } from '../api/server-events';
import { whenever } from '../state/asked';

/** Milliseconds in which several events make one question. */
const TOGETHER = 300;
/** Entries of the log that a passport tells; the others are in the log. */
const LINES = 50;

/** What the server has on record about the device that is looked at; read again whenever it changes. */
@Injectable()
export class ReadPassport {
  private readonly api = inject(Api);
  private readonly wanted = signal<{ batchId: string; deviceId: string } | null>(null);
  readonly passport = signal<Passport | null>(null);
  readonly log = signal<readonly LogEntry[]>([]);
  readonly problem = signal<Problem | null>(null);
  private asked = 0;

  constructor() {
    whenever(inject(ServerEvents), 'progress', 'cards', 'log', 'batches', 'bring-up')
      .pipe(auditTime(TOGETHER), takeUntilDestroyed(inject(DestroyRef)))
      .subscribe(() => this.read());
    effect(() => {
      this.wanted();
      untracked(() => {
        this.passport.set(null);
        this.log.set([]);
        this.problem.set(null);
        this.read();
      });
    });
  }

  look(batchId: string, deviceId: string): void {
    const now = this.wanted();
    if (now?.batchId !== batchId || now.deviceId !== deviceId) this.wanted.set({ batchId, deviceId });
  }

  private read(): void {
    const wanted = this.wanted();
    if (!wanted) return;
    // An answer that comes after the next question is not wanted any more.
    const turn = ++this.asked;
    const { batchId, deviceId } = wanted;
    combineLatest([
      this.api.passport(batchId, deviceId),
      this.api.log({ batchId, deviceId, limit: String(LINES) }),
    ]).subscribe({
      next: ([passport, log]) => {
        if (turn !== this.asked) return;
        this.passport.set(passport);
        this.log.set(log);
        this.problem.set(null);
      },
      error: (error: unknown) => {
        if (turn === this.asked) this.problem.set(asProblem(error));
      },
    });
  }
}
