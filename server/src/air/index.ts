/** What the radios of this bench hear, and the trials of keys. */
export type { Air, OfferedRadio } from './domain';
export { TrialRepository } from './repository';
export { airRoutes } from './routes';
