import type { HeardNetwork } from '@nest-mark/core/in-air';
import type { Radio, SavedProfiles } from '@nest-mark/station';
import type { Networks } from '../networks';
import type { Platform } from '../platform/platform';
import type { TrialRepository } from './repository';

/** Radios of a bench, and when they are offered. */
export interface OfferedRadio {
  radio: Radio;
  /** Networks that are saved beside it. */
  saved: SavedProfiles;
  offered: () => Promise<boolean>;
}

/** What was heard last. */
interface LastLook {
  at: number;
  adapter: string;
  networks: HeardNetwork[];
}

/** What radios of this bench hear, and the trials of keys. */
export interface Air extends Platform {
  repository: TrialRepository;
  networks: Networks;
  radios: readonly OfferedRadio[];
  /** What this bench heard; it is old soon, so it is not kept over a start. */
  heard: { last: LastLook | null };
  /** Adapters that are at work. */
  busy: Set<string>;
}
