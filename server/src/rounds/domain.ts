import type { CardReader } from '@nest-mark/station';
import type { Cards } from '../cards';
import type { Plans } from '../plans';
import type { Platform } from '../platform/platform';
import type { Runs } from '../platform/runs/runs';
import type { Vault } from '../platform/vault/repository';
import type { Settings } from '../settings';
import type { LiveRounds } from './live';
import type { RoundRepository } from './repository';

/** Rounds of cards: arming and writing them. */
export interface Rounds extends Platform {
  repository: RoundRepository;
  live: LiveRounds;
  runs: Runs;
  vault: Vault;
  reader: CardReader;
  settings: Settings;
  plans: Plans;
  cards: Cards;
}
