import type { BringUps } from '../bringup';
import type { Finding } from '../finding';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { MoveRepository } from './repository';

/** Moving the boards of a batch to another network. */
export interface Moves extends Platform {
  repository: MoveRepository;
  runs: Runs;
  plans: Plans;
  finding: Finding;
  bringUps: BringUps;
}
