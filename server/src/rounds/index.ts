/** Rounds of cards: arming and writing them. */
export { needReady } from './arm';
export type { Rounds } from './domain';
export { LiveRounds } from './live';
export { RoundRepository } from './repository';
export { roundRoutes } from './routes';
export { roundRun } from './writing';
