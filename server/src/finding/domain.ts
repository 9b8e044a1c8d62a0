import type { Ears, NeighbourTable, SearchNetwork } from '@nest-mark/station';
import type { BroughtUp, DrillView } from '@nest-mark/core';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { Rounds } from '../rounds';
import type { BeforeRepository } from './before-repository';
import type { ClueRepository } from './clue-repository';
import type { FaultRepository } from './fault-repository';
import type { SearchRepository } from './repository';

/** Finding booted boards, and how far each device is. */
export interface Finding extends Platform {
  repository: SearchRepository;
  clues: ClueRepository;
  faults: FaultRepository;
  before: BeforeRepository;
  /** The drill of this batch on the practice bench, under way or over, until it is put away. */
  drillOf(batchId: string): Pick<DrillView, 'minutes' | 'inVain' | 'outcome'> | null;
  /** How far devices are with being brought up, which comes after this; see there. */
  broughtUp(batchId: string, written: ReadonlyMap<string, number>): Promise<Map<string, BroughtUp>>;
  runs: Runs;
  search: SearchNetwork;
  neighbours: NeighbourTable;
  ears: Ears;
  plans: Plans;
  rounds: Rounds;
}
