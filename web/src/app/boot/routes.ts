import type { Routes } from '@angular/router';
import { BootPage } from './boot-page';

export const bootRoutes: Routes = [{ path: '', component: BootPage }];
