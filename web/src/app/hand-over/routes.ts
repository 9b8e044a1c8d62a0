import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import * as effects from './hand-over.effects';
import { handOverFeature } from './hand-over.reducer';
import { HandOverPage } from './hand-over-page';

/** The parts of handing over, each loaded when it is first opened. */
export const handOverRoutes: Routes = [
  {
    path: '',
    component: HandOverPage,
    providers: [provideState(handOverFeature), provideEffects(effects)],
    children: [
      {
        path: '',
        pathMatch: 'full',
        loadComponent: async () => (await import('./devices-part')).DevicesPart,
      },
      { path: 'labels', loadComponent: async () => (await import('./labels-part')).LabelsPart },
      { path: 'login', loadComponent: async () => (await import('./login-part')).LoginPart },
      {
        path: 'credentials',
        loadComponent: async () => (await import('./credentials-part')).CredentialsPart,
      },
      { path: 'tools', loadComponent: async () => (await import('./tools-part')).ToolsPart },
      { path: 'outside', loadComponent: async () => (await import('./outside-part')).OutsidePart },
      { path: 'exposure', loadComponent: async () => (await import('./exposure-part')).ExposurePart },
      { path: 'record', loadComponent: async () => (await import('./record-part')).RecordPart },
    ],
  },
];
