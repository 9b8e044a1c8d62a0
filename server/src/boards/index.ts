/** The shelf of board profiles. */
export type { Boards } from './domain';
export { BoardRepository } from './repository';
export { boardRoutes } from './routes';
