import type { Finding } from '../finding';
import type { HandOver } from '../handover';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { FieldRepository } from './repository';

/** Taking the boards of a batch to where they work, without internet. */
export interface Field extends Platform {
  repository: FieldRepository;
  runs: Runs;
  plans: Plans;
  finding: Finding;
  handOver: HandOver;
}
