import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './hand-over.effects';
import { handOverFeature } from './hand-over.reducer';
import { HandOverPage } from './hand-over-page';

export const handOverRoutes: Routes = [
  { path: '', component: HandOverPage, providers: [provideState(handOverFeature), provideEffects(effects)] },
];
