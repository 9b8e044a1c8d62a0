/** The practice bench, and the demo data for it. */
export { plantDemo } from './demo';
export type { Practice } from './domain';
export { practiceRoutes } from './routes';
