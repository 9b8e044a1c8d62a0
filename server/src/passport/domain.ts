import type { BringUps } from '../bringup';
import type { Finding } from '../finding';
import type { Plans } from '../plans';
import type { Rounds } from '../rounds';
import type { Terminals } from '../terminals';

/** Everything that is on record about one device. */
export interface Passports {
  plans: Plans;
  rounds: Rounds;
  finding: Finding;
  bringUps: BringUps;
  terminals: Terminals;
}
