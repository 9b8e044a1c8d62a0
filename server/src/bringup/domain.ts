import type { Patience } from '@nest-mark/station';
import type { Finding } from '../finding';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { LiveBoards } from './live';
import type { BringUpRepository } from './repository';

/** Bringing proved boards up. */
export interface BringUps extends Platform {
  repository: BringUpRepository;
  live: LiveBoards;
  runs: Runs;
  plans: Plans;
  finding: Finding;
  /** Socket of this computer's SSH agent; null where none runs. */
  agent: string | null;
  patience: Patience;
  /** Whether whoever runs this station lets people open terminals. */
  terminals: boolean;
}
