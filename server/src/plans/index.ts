/** Batches: their plans, and what identifies their devices. */
export type { Plans } from './domain';
export { benchKeyOf, completeIdentities, deviceHostKey, devicePassword } from './identities';
export { createBatch, findingsOf, inShort, needBatch, planView, sharedPassword, stoppers } from './plans';
export { BatchRepository, type StoredBatch } from './repository';
export { batchRoutes } from './routes';
export { exportPlan } from './plan-files';
export { memberOf, tunnelOf, vpnBoardOf, VpnError, vpnHubOf, type Tunnel } from './vpn';
export { VpnRepository } from './vpn-repository';
