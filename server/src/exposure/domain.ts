import type { BringUps } from '../bringup';
import type { Finding } from '../finding';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { ExposureRepository } from './repository';

/** How exposed boards are. */
export interface Exposures extends Platform {
  repository: ExposureRepository;
  runs: Runs;
  plans: Plans;
  finding: Finding;
  bringUps: BringUps;
}
