import type { BringUps } from '../bringup';
import type { Cards } from '../cards';
import type { Finding } from '../finding';
import type { Exposures } from '../exposure';
import type { Passports } from '../passport';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Rounds } from '../rounds';
import type { Signals } from '../signal';
import type { HandOverRepository } from './repository';

/** Handing devices over: files for other tools, and cards as files. */
export interface HandOver extends Platform {
  repository: HandOverRepository;
  plans: Plans;
  cards: Cards;
  rounds: Rounds;
  finding: Finding;
  bringUps: BringUps;
  exposures: Exposures;
  passports: Passports;
  signals: Signals;
}
