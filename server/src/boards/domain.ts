import type { Platform } from '../platform/platform';
import type { BoardRepository } from './repository';

/** The shelf of board profiles. */
export interface Boards extends Platform {
  repository: BoardRepository;
}
