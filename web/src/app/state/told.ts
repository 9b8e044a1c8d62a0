import { catchError, EMPTY, mergeMap, of, type Observable } from 'rxjs';
import { asProblem } from '../api/api-problem';
import { NoticeActions } from './notice';

/** A request's failure as a notice. */
export const failed = (error: unknown) => of(NoticeActions.failed({ problem: asProblem(error) }));

/** A request whose success shows by itself, through events; its failure is told. */
export const told = (work: Observable<void>) =>
  work.pipe(
    mergeMap(() => EMPTY),
    catchError(failed),
  );
