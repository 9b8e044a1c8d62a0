/** How strongly networks are heard where boards will be. */
export type { Signals } from './domain';
export { ReadingRepository } from './repository';
export { signalRoutes } from './routes';
