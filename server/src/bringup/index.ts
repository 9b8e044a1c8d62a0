/** Bringing proved boards up. */
export type { BringUps } from './domain';
export { bringUpRun } from './bringing-up';
export { LiveBoards } from './live';
export { wayTo } from './one-board';
export { Places } from './places';
export { BringUpRepository } from './repository';
export { bringUpRoutes } from './routes';
export { broughtUp } from './standing';
export { together } from './together';
export { loginFor, waysOf } from './ways';
