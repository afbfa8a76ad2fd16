import { inject } from '@angular/core';
import { Router } from '@angular/router';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { tap } from 'rxjs';
import { LiveActions } from './live.actions';
import { LiveFeed } from './live-feed';

/** A signed-in page opens the feed. */
export const openFeed = createEffect(
  (actions = inject(Actions), feed = inject(LiveFeed)) =>
    actions.pipe(
      ofType(LiveActions.pageOpened),
      tap(() => void feed.open()),
    ),
  { functional: true, dispatch: false },
);

/** A session that has ended leads to the sign-in page, and back to where one was. */
export const leave = createEffect(
  (actions = inject(Actions), router = inject(Router)) =>
    actions.pipe(
      ofType(LiveActions.sessionEnded),
      tap(() => {
        const back = router.url.startsWith('/sign-in') ? '/watch' : router.url;
        // Loaded anew, so that nothing of the last account is left in memory.
        location.assign(`/sign-in?back=${encodeURIComponent(back)}`);
      }),
    ),
  { functional: true, dispatch: false },
);
