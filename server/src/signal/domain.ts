import type { Air } from '../air';
import type { BringUps } from '../bringup';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { ReadingRepository } from './repository';

/** How strongly networks are heard where boards will be. */
export interface Signals extends Platform {
  repository: ReadingRepository;
  air: Air;
  plans: Plans;
  bringUps: BringUps;
}
