import { setMaxListeners } from 'node:events';
import { PauseSwitch } from '@nest-mark/station';
import type { Wish } from './model';

/** A run that this process is at, and how it is stopped or held. */
export class RunControl {
  private readonly stopping = new AbortController();
  readonly pause = new PauseSwitch();

  /** Aborted when somebody cancelled the run, or the program stops. */
  readonly signal: AbortSignal = this.stopping.signal;

  constructor() {
    // Each of a run's items may wait for it: more than ten are no leak.
    setMaxListeners(0, this.signal);
  }

  obey(wish: Wish): void {
    if (wish === 'hold') this.pause.pause();
    else if (wish === 'go-on') this.pause.resume();
    else this.stop();
  }

  /** Stops the work where it stands. */
  stop(): void {
    this.stopping.abort();
  }
}
