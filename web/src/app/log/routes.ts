import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './log.effects';
import { logFeature } from './log.reducer';
import { LogPage } from './log-page';

export const logRoutes: Routes = [
  { path: '', component: LogPage, providers: [provideState(logFeature), provideEffects(effects)] },
];
