import type { Boards } from '../boards';
import type { Images } from '../images';
import type { Networks } from '../networks';
import type { Platform } from '../platform/platform';
import type { Vault } from '../platform/vault/repository';
import type { BatchRepository } from './repository';
import type { VpnRepository } from './vpn-repository';

/** Batches: their plans, and what identifies their devices. */
export interface Plans extends Platform {
  repository: BatchRepository;
  vpn: VpnRepository;
  vault: Vault;
  networks: Networks;
  boards: Boards;
  images: Images;
}
