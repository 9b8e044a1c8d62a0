import type { Routes } from '@angular/router';

/** The parts of a plan, each loaded when it is first opened. */
export const planRoutes: Routes = [
  {
    path: '',
    loadComponent: async () => (await import('./plan-page')).PlanPage,
    children: [
      {
        path: '',
        pathMatch: 'full',
        loadComponent: async () => (await import('./devices-part')).DevicesPart,
      },
      { path: 'image', loadComponent: async () => (await import('./image-panel')).ImagePanel },
      { path: 'access', loadComponent: async () => (await import('./access-panel')).AccessPanel },
      { path: 'networks', loadComponent: async () => (await import('./network-panel')).NetworkPanel },
      { path: 'system', loadComponent: async () => (await import('./system-panel')).SystemPanel },
      { path: 'power', loadComponent: async () => (await import('./power-part')).PowerPart },
      { path: 'kit', loadComponent: async () => (await import('./kit-part')).KitPart },
      { path: 'time', loadComponent: async () => (await import('./time-part')).TimePart },
      { path: 'card-files', loadComponent: async () => (await import('./card-files-part')).CardFilesPart },
      { path: 'file', loadComponent: async () => (await import('./file-part')).FilePart },
    ],
  },
];
