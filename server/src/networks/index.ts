/** The shelf of Wi-Fi networks and their keys. */
export type { Networks } from './domain';
export { boardKey } from './board-key';
export { addNetwork, createNetwork, needNetwork, networkSecret, shelfNetworks } from './networks';
export { NetworkRepository } from './repository';
export { networkRoutes } from './routes';
