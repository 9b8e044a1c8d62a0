import { provideZonelessChangeDetection, type EnvironmentProviders, type Provider } from '@angular/core';
import { TestBed } from '@angular/core/testing';
import { provideRouter } from '@angular/router';
import { Actions } from '@ngrx/effects';
import { provideState, provideStore, Store, type Action } from '@ngrx/store';
import { Subject } from 'rxjs';
import type { Batch, Problem } from '@nest-mark/core';
import { ApiProblem } from '../../src/app/api/api-problem';
import { bootFeature } from '../../src/app/boot/boot.reducer';
import { cardsFeature } from '../../src/app/cards/cards.reducer';
import { BatchActions } from '../../src/app/state/batch.actions';
import { batchFeature } from '../../src/app/state/batch.reducer';
import { stationFeature } from '../../src/app/state/station.reducer';
import { boardsFeature } from '../../src/app/state/boards.reducer';
import { imagesFeature } from '../../src/app/state/images.reducer';
import { networksFeature } from '../../src/app/state/networks.reducer';
import { noticeFeature } from '../../src/app/state/notice';
import { progressFeature } from '../../src/app/state/progress.reducer';
import { selectionFeature } from '../../src/app/state/selection';
import { batchId } from './plan';

/** A real store with every feature, and a stream of the actions that are sent through `act`. */
export function bench(batch: Batch | null, ...providers: (Provider | EnvironmentProviders)[]) {
  TestBed.configureTestingModule({
    providers: [
      provideZonelessChangeDetection(),
      provideRouter([]),
      provideStore(),
      provideState(batchFeature),
      provideState(stationFeature),
      provideState(boardsFeature),
      provideState(bootFeature),
      provideState(cardsFeature),
      provideState(imagesFeature),
      provideState(networksFeature),
      provideState(noticeFeature),
      provideState(progressFeature),
      provideState(selectionFeature),
      ...providers,
    ],
  });
  const store = TestBed.inject(Store);
  const stream = new Subject<Action>();
  const act = (action: Action): void => {
    store.dispatch(action);
    stream.next(action);
  };
  if (batch) {
    act(BatchActions.opened({ id: batchId }));
    act(BatchActions.came({ batch }));
  }
  return { store, act, actions: new Actions(stream) };
}

export const problem = (code: string, detail = 'Something is wrong.'): Problem => ({
  type: 'about:blank',
  title: 'Not done',
  status: 409,
  code,
  detail,
});

export const failure = (code: string): ApiProblem => new ApiProblem(problem(code));
