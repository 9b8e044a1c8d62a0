import { inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { filter, map, take, type Observable } from 'rxjs';
import { met } from '../api/api-problem';
import { BatchActions } from './batch.actions';
import { batchFeature } from './batch.reducer';
import { NoticeActions } from './notice';

/** Lets another batch be opened only after the edits of this one are saved, so that none is lost on the way. */
export function savedFirst(): Observable<boolean> {
  const store = inject(Store);
  store.dispatch(BatchActions.saveDue());
  return store.select(batchFeature.selectSave).pipe(
    filter((state) => state !== 'changed' && state !== 'saving'),
    take(1),
    map((state) => {
      if (state === 'saved') return true;
      store.dispatch(NoticeActions.failed({ problem: met('unsaved') }));
      return false;
    }),
  );
}
