/** The shelf of own first-boot methods. */
export type { Methods } from './domain';
export { MethodRepository } from './repository';
export { methodRoutes } from './routes';
