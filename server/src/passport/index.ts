/** Everything that is on record about one device. */
export type { Passports } from './domain';
export { passportRoutes } from './routes';
export { passportOf } from './passport';
export { FoundRepository } from './found-repository';
