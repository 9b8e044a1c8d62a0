import type { BringUps } from '../bringup';
import type { Platform } from '../platform/platform';
import type { OpenTerminals } from './open-terminals';
import type { TerminalRepository } from './repository';

/** Terminals to proved boards. */
export interface Terminals extends Platform {
  repository: TerminalRepository;
  open: OpenTerminals;
  bringUps: BringUps;
}
