import type { BringUps } from '../bringup';
import type { Finding } from '../finding';
import type { Plans } from '../plans';
import type { Rounds } from '../rounds';
import type { Terminals } from '../terminals';
import type { FoundRepository } from './found-repository';

/** Everything that is on record about one device. */
export interface Passports {
  repository: FoundRepository;
  plans: Plans;
  rounds: Rounds;
  finding: Finding;
  bringUps: BringUps;
  terminals: Terminals;
}
