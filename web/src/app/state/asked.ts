import type { Action } from '@ngrx/store';
import { catchError, concat, defer, EMPTY, filter, merge, mergeMap, of, timer, type Observable } from 'rxjs';
import type { Problem, ServerEvent } from '@nest-mark/core/api';
import { asProblem, isAway } from '../api/api-problem';
import type { ServerEvents } from '../api/server-events';
import { NoticeActions } from './notice';

/** A problem told wherever the person is. */
const noticed = (problem: Problem): Action => NoticeActions.failed({ problem });

/**
 * A request as actions.
 * @param come what its answer becomes
 * @param refused what its failure becomes; a notice unless the page shows it in its own place
 */
export const asked = <T>(
  request: Observable<T>,
  come: (answer: T) => Action | readonly Action[],
  refused: (problem: Problem) => Action | readonly Action[] = noticed,
): Observable<Action> =>
  request.pipe(
    mergeMap((answer) => [come(answer)].flat()),
    catchError((error: unknown) => of(...[refused(asProblem(error))].flat())),
  );

/** Milliseconds after which something is tried again, while the server or its database is away. */
export const againAfterMs = 3000;

/** A request without which there is no page: it is told that it failed, and asked again until the server is back. */
export const askedUntilBack = <T>(
  ask: () => Observable<T>,
  come: (answer: T) => Action,
  refused: (problem: Problem) => Action = noticed,
): Observable<Action> =>
  defer(ask).pipe(
    mergeMap((answer) => of(come(answer))),
    catchError((error: unknown) => {
      const problem = asProblem(error);
      const again = isAway(problem)
        ? timer(againAfterMs).pipe(mergeMap(() => askedUntilBack(ask, come, refused)))
        : EMPTY;
      return concat(of(refused(problem)), again);
    }),
  );

/** A request whose success shows by itself, through events; its failure is told. */
export const told = (request: Observable<void>): Observable<Action> => asked(request, () => []);

/** A request that something else stands in for when it fails. */
export const quietly = <T>(request: Observable<T>, come: (answer: T) => Action): Observable<Action> =>
  request.pipe(
    mergeMap((answer) => of(come(answer))),
    catchError(() => EMPTY),
  );

/** When what a page shows has to be read: at each connection, and when the server tells of a change. */
export const whenever = (server: ServerEvents, ...types: ServerEvent['type'][]): Observable<unknown> =>
  merge(server.connected, server.events.pipe(filter(({ type }) => types.includes(type))));
