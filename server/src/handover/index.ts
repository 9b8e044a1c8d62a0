/** Handing devices over: files for other tools, and cards as files. */
export type { HandOver } from './domain';
export { exportRoutes } from './export-routes';
export { handOverRoutes } from './routes';
export { HandOverRepository } from './repository';
export { recordRoutes } from './record/routes';
