import type { Commands, NetManager } from './commands';
import { iwd } from './iwd';
import { netplan } from './netplan';
import { networkManager } from './networkmanager';
import { supplicant } from './supplicant';

/** What each program that may rule a board's Wi-Fi is told. */
export const managers: Record<NetManager, Commands> = {
  networkmanager: networkManager,
  netplan,
  iwd,
  'wpa-supplicant': supplicant,
};
