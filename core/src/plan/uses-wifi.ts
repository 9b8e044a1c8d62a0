import type { BoardProfile } from '../boards/profiles';
import type { DeviceSettings } from './effective';

/** Whether a board will join by radio: it has one, and its plan names a network. */
export const usesWifi = (board: BoardProfile, settings: DeviceSettings): boolean =>
  board.wifiBands.length > 0 && settings.networks.length > 0;
