import type { Platform } from '../platform/platform';
import type { Vault } from '../platform/vault/repository';
import type { NetworkRepository } from './repository';

/** The shelf of Wi-Fi networks and their keys. */
export interface Networks extends Platform {
  repository: NetworkRepository;
  vault: Vault;
}
