import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './cards.effects';
import { cardsFeature } from './cards.reducer';
import { CardsPage } from './cards-page';

export const cardsRoutes: Routes = [
  { path: '', component: CardsPage, providers: [provideState(cardsFeature), provideEffects(effects)] },
];
