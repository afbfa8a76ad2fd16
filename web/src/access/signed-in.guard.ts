import { access } from '@dewpost/contract';
import { inject } from '@angular/core';
import { Router, type CanActivateFn } from '@angular/router';
import { Api, ApiError } from '../data/api';

/** Lets only accounts in; a server that does not answer is the shell's to tell. */
export const signedIn: CanActivateFn = async (_route, state) => {
  const api = inject(Api);
  const router = inject(Router);
  try {
    await api.call(access.me, {});
    return true;
  } catch (error) {
    if (error instanceof ApiError && error.status === 401) return router.createUrlTree(['/sign-in'], { queryParams: { back: state.url } });
    return true;
  }
};
