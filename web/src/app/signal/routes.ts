import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './signal.effects';
import { signalFeature } from './signal.reducer';
import { SignalPage } from './signal-page';

export const signalRoutes: Routes = [
  { path: '', component: SignalPage, providers: [provideState(signalFeature), provideEffects(effects)] },
];
