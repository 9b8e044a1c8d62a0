import type { CardReader, DiskTable } from '@nest-mark/station';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { Settings } from '../settings';
import type { CardRepository } from './repository';

/** Single cards: their records, what is on them, what goes onto them, and their capacity checks. */
export interface Cards extends Platform {
  repository: CardRepository;
  runs: Runs;
  reader: CardReader;
  disks: DiskTable;
  settings: Settings;
  plans: Plans;
}
