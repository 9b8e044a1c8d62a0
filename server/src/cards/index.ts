/** Single cards: their records, what is on them, what goes onto them, and their capacity checks. */
export { capacityRun } from './capacity-run';
export { checkRoutes } from './check-routes';
export type { Cards } from './domain';
export {
  cardBase,
  cardSettings,
  filesBy,
  isMarked,
  filesFor,
  gather,
  patchesFor,
  patchesOf,
  writtenDigest,
  type CardBase,
  type Material,
} from './material';
export { cardFiles } from './preview';
export { keyFor, noteChangedCards, recordsIn, refuseRecord, verifiedIn } from './records';
export { CardRepository } from './repository';
export { cardRoutes, slotRoutes } from './routes';
export { guardProblems } from './problems';
export { heldBy, needFit, needSame } from './slots';
