import { inject } from '@angular/core';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { concatMap, merge, mergeMap, switchMap } from 'rxjs';
import { Api } from '../api/api';
import { ServerEvents } from '../api/server-events';
import { asked, whenever } from './asked';
import { MethodsActions } from './methods.reducer';

export const loadMethods = createEffect(
  (actions = inject(Actions), api = inject(Api), server = inject(ServerEvents)) =>
    merge(whenever(server, 'methods'), actions.pipe(ofType(MethodsActions.listAsked))).pipe(
      switchMap(() => asked(api.methods(), (list) => MethodsActions.listCame({ list }))),
    ),
  { functional: true },
);

export const saveMethod = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(MethodsActions.saveWanted),
      concatMap(({ id, description, version }) =>
        asked(
          api.saveMethod(id, description, version),
          (method) => MethodsActions.saved({ method }),
          (problem) => [MethodsActions.saveFailed({ problem }), MethodsActions.listAsked()],
        ),
      ),
    ),
  { functional: true },
);

export const removeMethod = createEffect(
  (actions = inject(Actions), api = inject(Api)) =>
    actions.pipe(
      ofType(MethodsActions.removalWanted),
      mergeMap(({ id }) => asked(api.removeMethod(id), () => MethodsActions.listAsked())),
    ),
  { functional: true },
);
