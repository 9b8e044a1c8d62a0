import { inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { filter, map, take, type Observable } from 'rxjs';
import { met } from '../api/api-problem';
import { BatchActions } from './batch.actions';
import { batchFeature, type SaveState } from './batch.reducer';
import { NoticeActions } from './notice';

/**
 * Saves what was edited, and goes on when that has ended, well or not. What the server refuses for the sake of a plan,
 * as taking something off a shelf, has to be asked after the plan's last edit is there.
 */
export function afterSaving(store: Pick<Store, 'dispatch' | 'select'>): Observable<SaveState> {
  store.dispatch(BatchActions.saveDue());
  return store.select(batchFeature.selectSave).pipe(
    filter((state) => state !== 'changed' && state !== 'saving'),
    take(1),
  );
}

/** Lets another batch be opened only after the edits of this one are saved, so that none is lost on the way. */
export function savedFirst(): Observable<boolean> {
  const store = inject(Store);
  return afterSaving(store).pipe(
    map((state) => {
      if (state === 'saved') return true;
      store.dispatch(NoticeActions.failed({ problem: met('unsaved') }));
      return false;
    }),
  );
}
