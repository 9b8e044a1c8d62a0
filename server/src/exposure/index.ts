/** How exposed boards are: what answers on them, and who is let in. */
export type { Exposures } from './domain';
export { exposureRun } from './looking';
export { ExposureRepository } from './repository';
export { exposureRoutes } from './routes';
export { exposureView } from './view';
