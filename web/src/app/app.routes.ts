import type { Routes } from '@angular/router';
import { provideEffects } from '@ngrx/effects';
import { provideState } from '@ngrx/store';
import { BatchPage } from './shell/batch-page';
import { Home } from './shell/home';
import { savedFirst } from './state/saved-first';

/** Stages and shelves are loaded when they are first opened, each with its own feature of the store. */
export const routes: Routes = [
  { path: '', pathMatch: 'full', component: Home },
  {
    path: 'batch/:batchId',
    component: BatchPage,
    canActivate: [savedFirst],
    children: [
      { path: '', pathMatch: 'full', redirectTo: 'plan' },
      {
        path: 'plan',
        title: 'Plan · Nest Mark',
        loadComponent: async () => (await import('./plan/plan-page')).PlanPage,
        children: [
          {
            path: '',
            pathMatch: 'full',
            loadComponent: async () => (await import('./plan/settings-part')).SettingsPart,
          },
          { path: 'power', loadComponent: async () => (await import('./plan/power-part')).PowerPart },
          { path: 'kit', loadComponent: async () => (await import('./plan/kit-part')).KitPart },
          { path: 'time', loadComponent: async () => (await import('./plan/time-part')).TimePart },
          {
            path: 'card-files',
            loadComponent: async () => (await import('./plan/card-files-part')).CardFilesPart,
          },
          { path: 'file', loadComponent: async () => (await import('./plan/file-part')).FilePart },
        ],
      },
      {
        path: 'cards',
        title: 'Cards · Nest Mark',
        loadChildren: async () => {
          const { cardsFeature } = await import('./cards/cards.reducer');
          const effects = await import('./cards/cards.effects');
          const { CardsPage } = await import('./cards/cards-page');
          return [
            {
              path: '',
              component: CardsPage,
              providers: [provideState(cardsFeature), provideEffects(effects)],
            },
          ];
        },
      },
      {
        path: 'boot',
        title: 'Boot & find · Nest Mark',
        loadChildren: async () => {
          const { bootFeature } = await import('./boot/boot.reducer');
          const effects = await import('./boot/boot.effects');
          const { BootPage } = await import('./boot/boot-page');
          return [
            {
              path: '',
              component: BootPage,
              providers: [provideState(bootFeature), provideEffects(effects)],
            },
          ];
        },
      },
      {
        path: 'hand-over',
        title: 'Hand over · Nest Mark',
        loadChildren: async () => {
          const { handOverFeature } = await import('./hand-over/hand-over.reducer');
          const effects = await import('./hand-over/hand-over.effects');
          const { HandOverPage } = await import('./hand-over/hand-over-page');
          return [
            {
              path: '',
              component: HandOverPage,
              providers: [provideState(handOverFeature), provideEffects(effects)],
            },
          ];
        },
      },
      {
        path: 'images',
        title: 'Images · Nest Mark',
        loadComponent: async () => (await import('./images/images-page')).ImagesPage,
      },
      {
        path: 'card-check',
        title: 'Card check · Nest Mark',
        loadComponent: async () => (await import('./card-check/card-check-page')).CardCheckPage,
      },
      {
        path: 'card-records',
        title: 'Card records · Nest Mark',
        loadComponent: async () => (await import('./card-records/card-records-page')).CardRecordsPage,
      },
      {
        path: 'networks',
        title: 'Networks · Nest Mark',
        loadComponent: async () => (await import('./networks/networks-page')).NetworksPage,
      },
      {
        path: 'boards',
        title: 'Boards · Nest Mark',
        loadComponent: async () => (await import('./boards/boards-page')).BoardsPage,
      },
      {
        path: 'checks',
        title: 'Checks · Nest Mark',
        loadComponent: async () => (await import('./checks/checks-page')).ChecksPage,
      },
      {
        path: 'log',
        title: 'Log · Nest Mark',
        loadChildren: async () => {
          const { logFeature } = await import('./log/log.reducer');
          const effects = await import('./log/log.effects');
          const { LogPage } = await import('./log/log-page');
          return [
            { path: '', component: LogPage, providers: [provideState(logFeature), provideEffects(effects)] },
          ];
        },
      },
      {
        path: 'practice',
        title: 'Practice bench · Nest Mark',
        loadChildren: async () => {
          const { practiceFeature } = await import('./practice/practice.reducer');
          const effects = await import('./practice/practice.effects');
          const { PracticePage } = await import('./practice/practice-page');
          return [
            {
              path: '',
              component: PracticePage,
              providers: [provideState(practiceFeature), provideEffects(effects)],
            },
          ];
        },
      },
    ],
  },
  { path: '**', redirectTo: '' },
];
