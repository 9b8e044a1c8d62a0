import type { Action } from '@ngrx/store';
import { concatMap, debounceTime, groupBy, mergeMap, switchMap, take, tap, type Observable } from 'rxjs';
import type { Problem } from '@nest-mark/core/api';
import { askedUntilBack } from './asked';

/** Milliseconds after the last change until it is saved. */
export const SAVE_AFTER = 400;

/** What is typed into something that is saved against its version. */
interface Typed<Thing, Text> {
  /** Tells things apart. */
  key: (thing: Thing) => string;
  /** What is shown now. */
  current: Observable<Thing | null>;
  save: (thing: Thing, text: Text) => Observable<Thing>;
  saved: (text: Text, thing: Thing) => Action;
  refused: (problem: Problem) => Action;
}

/**
 * Saves what is typed, a moment after the last change and one after the other, each on top of the version that the one
 * before it made: to what it was typed into, whatever was opened meanwhile. It goes on by itself when the server was away.
 * @param edits each change, with the thing as it was when it was made
 */
export function savedInTurn<Thing extends { version: number }, Text>(
  edits: Observable<readonly [text: Text, at: Thing]>,
  { key, current, save, saved, refused }: Typed<Thing, Text>,
): Observable<Action> {
  /** The newest version that is known of one thing. */
  const made = new Map<string, Thing>();
  const newest = (at: Thing, now: Thing | null): Thing =>
    [now, made.get(key(at))].reduce<Thing>(
      (best, one) => (one && key(one) === key(at) && one.version > best.version ? one : best),
      at,
    );
  return edits.pipe(
    groupBy(([, at]) => key(at)),
    mergeMap((ofOne) =>
      ofOne.pipe(
        debounceTime(SAVE_AFTER),
        concatMap(([text, at]) =>
          askedUntilBack(
            () =>
              current.pipe(
                take(1),
                switchMap((now) => save(newest(at, now), text)),
                tap((thing) => made.set(key(thing), thing)),
              ),
            (thing) => saved(text, thing),
            refused,
          ),
        ),
      ),
    ),
  );
}
