import type { Routes } from '@angular/router';
import { PracticePage } from './practice-page';

export const practiceRoutes: Routes = [{ path: '', component: PracticePage }];
