import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './practice.effects';
import { practiceFeature } from './practice.reducer';
import { PracticePage } from './practice-page';

export const practiceRoutes: Routes = [
  { path: '', component: PracticePage, providers: [provideState(practiceFeature), provideEffects(effects)] },
];
