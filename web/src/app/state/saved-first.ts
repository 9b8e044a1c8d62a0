import { inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { filter, map, take, type Observable } from 'rxjs';
import { BatchActions } from './batch.actions';
import { batchFeature } from './batch.reducer';
import { NoticeActions } from './notice';
import type { Problem } from '@nest-mark/core/api';

const unsaved: Problem = {
  type: 'about:blank',
  title: 'Not saved',
  status: 0,
  code: 'unsaved',
  detail:
    'This plan could not be saved, so it stays open: see what stands above the tray, then change the batch.',
};

/** Lets another batch be opened only after the edits of this one are saved, so that none is lost on the way. */
export function savedFirst(): Observable<boolean> {
  const store = inject(Store);
  store.dispatch(BatchActions.saveDue());
  return store.select(batchFeature.selectSave).pipe(
    filter((state) => state !== 'changed' && state !== 'saving'),
    take(1),
    map((state) => {
      if (state === 'saved') return true;
      store.dispatch(NoticeActions.failed({ problem: unsaved }));
      return false;
    }),
  );
}
