/** Finding booted boards, and how far each device is. */
export type { Finding } from './domain';
export { batchProgress } from './progress';
export { SearchRepository } from './repository';
export { searchRoutes } from './routes';
export { searchRun } from './searching';
export { stamp } from './stamps';
