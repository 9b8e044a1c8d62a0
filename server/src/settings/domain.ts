import type { Platform } from '../platform/platform';
import type { SettingRepository } from './repository';

/** What people set at a station. */
export interface Settings extends Platform {
  repository: SettingRepository;
}
