import type { Ears, NeighbourTable, SearchNetwork } from '@nest-mark/station';
import type { DrillView } from '@nest-mark/core';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { Rounds } from '../rounds';
import type { ClueRepository } from './clue-repository';
import type { FaultRepository } from './fault-repository';
import type { SearchRepository } from './repository';

/** Finding booted boards, and how far each device is. */
export interface Finding extends Platform {
  repository: SearchRepository;
  clues: ClueRepository;
  faults: FaultRepository;
  /** A drill of this batch that is under way on the practice bench. */
  drillOf(batchId: string): Pick<DrillView, 'minutes' | 'inVain'> | null;
  runs: Runs;
  search: SearchNetwork;
  neighbours: NeighbourTable;
  ears: Ears;
  plans: Plans;
  rounds: Rounds;
}
