/** Moving the boards of a batch to another network. */
export type { Moves } from './domain';
export { moveRun } from './moving';
export { MoveRepository } from './repository';
export { moveRoutes } from './routes';
