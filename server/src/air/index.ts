/** What the radios of this bench hear, and the trials of keys. */
export { listenWith } from './air';
export type { Air, OfferedRadio } from './domain';
export { TrialRepository } from './repository';
export { airRoutes } from './routes';
