import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './field.effects';
import { fieldFeature } from './field.reducer';
import { FieldPage } from './field-page';

export const fieldRoutes: Routes = [
  { path: '', component: FieldPage, providers: [provideState(fieldFeature), provideEffects(effects)] },
];
