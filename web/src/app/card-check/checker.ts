import { DestroyRef, inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import type { BootFiles, CheckFix } from '@nest-mark/core';
import { methodsFeature } from '../state/methods.reducer';
import type { CheckAnswer, CheckFilesRequest, CheckMendedRequest } from '../workers/check.messages';
import { checkWorker } from '../workers/check.factory';

/** Asks the worker about files; of several questions only the newest is answered. */
@Injectable()
export class Checker {
  private readonly worker = checkWorker();
  private readonly methods = inject(Store).selectSignal(methodsFeature.selectList);
  private turn = 0;
  private answered: ((answer: CheckAnswer) => void) | null = null;

  constructor() {
    this.worker.onmessage = ({ data }: MessageEvent<CheckAnswer>) => {
      if (data.turn === this.turn) this.answered?.(data);
    };
    inject(DestroyRef).onDestroy(() => this.worker.terminate());
  }

  /** Files stay on this machine: the worker reads of them only what it needs. */
  ask(files: File[]): Promise<CheckAnswer> {
    return this.post({ files });
  }

  /** Looks again at what was read before, with a fix done to it. */
  askMended(boot: BootFiles, fix: CheckFix): Promise<CheckAnswer> {
    return this.post({ boot, fix });
  }

  private post(
    question: Omit<CheckFilesRequest, 'turn' | 'own'> | Omit<CheckMendedRequest, 'turn' | 'own'>,
  ): Promise<CheckAnswer> {
    return new Promise((resolve) => {
      this.answered = resolve;
      const own = this.methods().map(({ id, description }) => ({ id, description }));
      this.worker.postMessage({ turn: ++this.turn, own, ...question });
    });
  }
}
