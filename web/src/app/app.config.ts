import { provideZonelessChangeDetection, type ApplicationConfig } from '@angular/core';
import { provideRouter, withComponentInputBinding } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState, provideStore } from '@ngrx/store';
import { providePrimeNG } from 'primeng/config';
import { routes } from './app.routes';
import * as awayEffects from './state/away.effects';
import * as batchEffects from './state/batch.effects';
import { batchFeature } from './state/batch.reducer';
import * as stationEffects from './state/station.effects';
import { stationFeature } from './state/station.reducer';
import * as boardsEffects from './state/boards.effects';
import { boardsFeature } from './state/boards.reducer';
import * as imagesEffects from './state/images.effects';
import { imagesFeature } from './state/images.reducer';
import * as methodsEffects from './state/methods.effects';
import { methodsFeature } from './state/methods.reducer';
import * as networksEffects from './state/networks.effects';
import { networksFeature } from './state/networks.reducer';
import { noticeFeature } from './state/notice';
import * as progressEffects from './state/progress.effects';
import { progressFeature } from './state/progress.reducer';
import { selectionFeature } from './state/selection';
import { benchPreset } from './theme/preset';

/** What every page needs; a stage brings its own feature along when it is opened. */
export const appConfig: ApplicationConfig = {
  providers: [
    provideZonelessChangeDetection(),
    provideRouter(routes, withComponentInputBinding()),
    provideStore(),
    provideState(batchFeature),
    provideState(stationFeature),
    provideState(boardsFeature),
    provideState(imagesFeature),
    provideState(methodsFeature),
    provideState(networksFeature),
    provideState(noticeFeature),
    provideState(progressFeature),
    provideState(selectionFeature),
    provideEffects(
      awayEffects,
      batchEffects,
      stationEffects,
      boardsEffects,
      imagesEffects,
      methodsEffects,
      networksEffects,
      progressEffects,
    ),
    providePrimeNG({ theme: { preset: benchPreset, options: { darkModeSelector: '.dark' } } }),
  ],
};
