import type { Routes } from '@angular/router';
import { BringUpPage } from './bring-up-page';

export const bringUpRoutes: Routes = [{ path: '', component: BringUpPage }];
