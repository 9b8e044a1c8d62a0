/** Handing devices over: files for other tools, and cards as files. */
export { credentialsFile } from './credentials';
export type { HandOver } from './domain';
export { exportRoutes } from './export-routes';
export { gather } from './gather';
export { send } from './handed-file';
export { handOverRoutes } from './routes';
export { HandOverRepository } from './repository';
export { recordFacts } from './record/facts';
export { recordRoutes } from './record/routes';
export { exported } from './taken-over';
export { FileQuerySchema, toolFiles, type ToolFile } from './tool-files';
