import type { Routes } from '@angular/router';
import { CardsPage } from './cards-page';

export const cardsRoutes: Routes = [{ path: '', component: CardsPage }];
