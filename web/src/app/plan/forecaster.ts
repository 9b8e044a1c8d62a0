import { DestroyRef, inject, Injectable, signal } from '@angular/core';
import type { ForecastAnswer, ForecastRequest } from '../workers/forecast.messages';
import { forecastWorker } from '../workers/forecast.factory';

/** Asks the worker for forecasts; of several questions only the newest is answered. */
@Injectable()
export class Forecaster {
  private readonly worker = forecastWorker();
  private turn = 0;
  private busy = false;
  private next: ForecastRequest | null = null;
  readonly answer = signal<ForecastAnswer | null>(null);
  readonly working = signal(false);

  constructor() {
    this.worker.onmessage = ({ data }: MessageEvent<ForecastAnswer>) => this.answered(data);
    inject(DestroyRef).onDestroy(() => this.worker.terminate());
  }

  ask(input: ForecastRequest['input'], desktop: boolean): void {
    this.next = { turn: ++this.turn, input, desktop };
    this.working.set(true);
    if (!this.busy) this.send();
  }

  private send(): void {
    if (!this.next) return;
    this.busy = true;
    this.worker.postMessage(this.next);
    this.next = null;
  }

  private answered(answer: ForecastAnswer): void {
    this.busy = false;
    if (answer.turn === this.turn) {
      this.answer.set(answer);
      this.working.set(false);
    }
    this.send();
  }
}
