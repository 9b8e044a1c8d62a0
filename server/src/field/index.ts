/** Taking the boards of a batch into the field: rehearsals, lists, visits, and a bundle for the way. */
export type { Field } from './domain';
export { FieldRepository } from './repository';
export { fieldRoutes } from './routes';
export { rehearsalRun } from './trying';
