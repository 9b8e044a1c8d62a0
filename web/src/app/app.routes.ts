import type { Routes } from '@angular/router';
import { BatchPage } from './shell/batch-page';
import { Home } from './shell/home';
import { savedFirst } from './state/saved-first';

/** Stages and shelves are loaded when they are first opened; a stage's own routes bring its feature of the store along. */
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
        loadChildren: async () => (await import('./plan/routes')).planRoutes,
      },
      {
        path: 'cards',
        title: 'Cards · Nest Mark',
        loadChildren: async () => (await import('./cards/routes')).cardsRoutes,
      },
      {
        path: 'boot',
        title: 'Boot & find · Nest Mark',
        loadChildren: async () => (await import('./boot/routes')).bootRoutes,
      },
      {
        path: 'bring-up',
        title: 'Bring up · Nest Mark',
        loadChildren: async () => (await import('./bring-up/routes')).bringUpRoutes,
      },
      {
        path: 'hand-over',
        title: 'Hand over · Nest Mark',
        loadChildren: async () => (await import('./hand-over/routes')).handOverRoutes,
      },
      {
        path: 'move',
        title: 'Move · Nest Mark',
        loadChildren: async () => (await import('./move/routes')).moveRoutes,
      },
      {
        path: 'field',
        title: 'Field · Nest Mark',
        loadChildren: async () => (await import('./field/routes')).fieldRoutes,
      },
      {
        path: 'signal',
        title: 'Signal · Nest Mark',
        loadChildren: async () => (await import('./signal/routes')).signalRoutes,
      },
      {
        path: 'device/:deviceId',
        title: 'Passport · Nest Mark',
        loadComponent: async () => (await import('./passport/passport-page')).PassportPage,
      },
      {
        path: 'images',
        title: 'Images · Nest Mark',
        loadComponent: async () => (await import('./images/images-page')).ImagesPage,
      },
      {
        path: 'methods',
        title: 'First-boot methods · Nest Mark',
        loadComponent: async () => (await import('./methods/methods-page')).MethodsPage,
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
        path: 'card-records/:key',
        title: 'Card · Nest Mark',
        loadComponent: async () => (await import('./card-records/card-page')).CardPage,
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
        path: 'guide',
        title: 'Guide · Nest Mark',
        loadComponent: async () => (await import('./guide/guide-page')).GuidePage,
      },
      {
        path: 'this-bench',
        title: 'This bench · Nest Mark',
        loadComponent: async () => (await import('./this-bench/this-bench-page')).ThisBenchPage,
      },
      {
        path: 'log',
        title: 'Log · Nest Mark',
        loadChildren: async () => (await import('./log/routes')).logRoutes,
      },
      {
        path: 'practice',
        title: 'Practice bench · Nest Mark',
        loadChildren: async () => (await import('./practice/routes')).practiceRoutes,
      },
    ],
  },
  { path: '**', redirectTo: '' },
];
