import { provideZonelessChangeDetection, type ApplicationConfig } from '@angular/core';
import { provideRouter, TitleStrategy, withComponentInputBinding } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState, provideStore } from '@ngrx/store';
import { providePrimeNG } from 'primeng/config';
import * as airEffects from './air/air.effects';
import { airFeature } from './air/air.reducer';
import { routes } from './app.routes';
import * as bootEffects from './boot/boot.effects';
import { bootFeature } from './boot/boot.reducer';
import * as bringUpEffects from './bring-up/bring-up.effects';
import { bringUpFeature } from './bring-up/bring-up.reducer';
import * as cardsEffects from './cards/cards.effects';
import { cardsFeature } from './cards/cards.reducer';
import * as practiceEffects from './practice/practice.effects';
import { practiceFeature } from './practice/practice.reducer';
import { WindowTitle } from './shell/window-title';
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
    { provide: TitleStrategy, useExisting: WindowTitle },
    provideStore(),
    // Editors of networks are on two pages.
    provideState(airFeature),
    provideState(batchFeature),
    // The next round and the search are part of whose turn it is, on every page.
    provideState(bootFeature),
    provideState(bringUpFeature),
    provideState(cardsFeature),
    provideState(stationFeature),
    provideState(boardsFeature),
    provideState(imagesFeature),
    provideState(methodsFeature),
    provideState(networksFeature),
    provideState(noticeFeature),
    // Its hands come up at every stage.
    provideState(practiceFeature),
    provideState(progressFeature),
    provideState(selectionFeature),
    provideEffects(
      airEffects,
      awayEffects,
      batchEffects,
      stationEffects,
      boardsEffects,
      bootEffects,
      bringUpEffects,
      cardsEffects,
      imagesEffects,
      methodsEffects,
      networksEffects,
      practiceEffects,
      progressEffects,
    ),
    providePrimeNG({
      theme: { preset: benchPreset, options: { darkModeSelector: '.dark' } },
      // A list inside the page would scroll it when its filter takes the focus, and close by that.
      overlayAppendTo: 'body',
    }),
  ],
};
