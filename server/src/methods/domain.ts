import type { Platform } from '../platform/platform';
import type { MethodRepository } from './repository';

/** The shelf of own first-boot methods. */
export interface Methods extends Platform {
  repository: MethodRepository;
}
