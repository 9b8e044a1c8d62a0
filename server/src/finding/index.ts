/** Finding booted boards, and how far each device is. */
export type { Finding } from './domain';
export { lookAgain, lookIn } from './look-again';
export { batchProgress } from './progress';
export { BeforeRepository } from './before-repository';
export { beforeRoutes } from './before-routes';
export { ClueRepository } from './clue-repository';
export { SearchRepository } from './repository';
export { searchRoutes } from './routes';
export { searchRun } from './searching';
export { stamp } from './stamps';
export { watchRoutes } from './watch-routes';
export { watchRun } from './watching';
export { caseRoutes } from './case-routes';
export { wayByAdvice } from './cases';
export { FaultRepository } from './fault-repository';
