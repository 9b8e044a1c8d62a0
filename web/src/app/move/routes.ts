import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './move.effects';
import { moveFeature } from './move.reducer';
import { MovePage } from './move-page';

export const moveRoutes: Routes = [
  { path: '', component: MovePage, providers: [provideState(moveFeature), provideEffects(effects)] },
];
