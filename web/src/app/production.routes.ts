import type { Routes } from '@angular/router';

/** Nothing that is for development only. */
export const developmentRoutes: Routes = [];
