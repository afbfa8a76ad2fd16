import type { Routes } from '@angular/router';

/** Pages for who develops the page; the production build has `production.routes.ts` in the place of this file. */
export const developmentRoutes: Routes = [
  { path: 'style', title: 'Style · Dew Post', loadComponent: () => import('../style/style').then((m) => m.StylePage) },
];
