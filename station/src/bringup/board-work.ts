import type { JobProgress, Step, Expected, BoardFinding } from '@nest-mark/core/bring-up';
import type { StepState } from '@nest-mark/core/api';
import type { Login, ShellPlace } from '../shell/shell';

/** What is written down of a step on a board. */
export interface StepNote {
  state: StepState;
  text: string;
  findings: readonly BoardFinding[];
}

/** What must not be forgotten of a step, also when the program dies. */
export interface StepMemory {
  /** The boot in which something was ordered (random(4), boot_id). */
  bootId: string;
}

/** One board, with everything that its bringing up needs of the world. */
export interface BoardWork {
  steps: readonly Step[];
  expected: Expected;
  login: Login;
  /** Private half of the bench's own key, by which is seen whether it was taken off; null where there is none. */
  benchKey: string | null;
  /** The board's file of the planned tunnel, with its secret; null where there is none. */
  vpnFile: string | null;
  /** Reasons for which steps are left out on this board, by the step's id. */
  skipped: ReadonlyMap<string, string>;
  /** Port of this computer's loopback that packages come through; null where the board has a line of its own. */
  packagePort: number | null;
  /** Where it was proved last; null while that is not known. */
  place(): Promise<ShellPlace | null>;
  /** Looks where the boards are now, since this one is not where it was; it may be called often. */
  seek(): Promise<void>;
  /** Writes down how a step stands; returns when that is on record. */
  note(stepId: string, note: StepNote): Promise<void>;
  recall(stepId: string): Promise<StepMemory | null>;
  remember(stepId: string, memory: StepMemory): Promise<void>;
  /** Told what the board prints, without secrets. */
  told(text: string): void;
  /** Told how far a job is; null when it has ended. */
  job(progress: JobProgress | null): void;
  /** Aborted when it is to stop. */
  signal: AbortSignal;
  patience: Patience;
}

/** Seconds that things may take. */
export interface Patience {
  /** Until a board that went away answers again. */
  away: number;
  /** Until it has started anew. */
  reboot: number;
  /** Until its first boot is over, or a lock is free. */
  wait: number;
  /** After the network of a board that shuts down is gone: its last writes (common practice: 10 s, 30 s for slow cards). */
  quiet: number;
  /** Between two looks. */
  look: number;
}

export const usualPatience: Patience = { away: 180, reboot: 600, wait: 1800, quiet: 10, look: 1 };

/** How a board's bringing up ended. */
export interface BoardEnd {
  state: 'ready' | 'hand' | 'stopped';
  /** Why a person is needed; empty otherwise. */
  message: string;
}
