import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './boot.effects';
import { bootFeature } from './boot.reducer';
import { BootPage } from './boot-page';

export const bootRoutes: Routes = [
  { path: '', component: BootPage, providers: [provideState(bootFeature), provideEffects(effects)] },
];
