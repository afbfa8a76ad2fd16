import { respond, type LiveEvent } from '@dewpost/contract';
import { inject } from '@angular/core';
import { MatSnackBar } from '@angular/material/snack-bar';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { mergeMap } from 'rxjs';
import { Api } from '../data/api';
import { LiveActions } from '../data/live.actions';
import { Acknowledging } from './acknowledging';

/** Shows messages to whoever is signed in here, and confirms what somebody could see: a page behind others is no way. */
export const showTold = createEffect(
  (actions = inject(Actions), notices = inject(MatSnackBar), acknowledging = inject(Acknowledging), api = inject(Api)) =>
    actions.pipe(
      ofType(LiveActions.eventsArrived),
      mergeMap(async ({ events }) => {
        const told = events.filter((event): event is Extract<LiveEvent, { type: 'told' }> => event.type === 'told');
        for (const { message } of told) {
          const { id, title, text, alertId } = message;
          const shown = notices.open(`${title}. ${text}`, alertId === null ? 'Close' : 'Acknowledge', { politeness: 'assertive' });
          if (alertId !== null) shown.onAction().subscribe(() => void acknowledging.acknowledge({ id: alertId }));
          if (document.hidden) continue;
          if (typeof navigator.vibrate === 'function') navigator.vibrate([400, 200, 400]);
          // Where nobody waits any more, or the link is lost, the message goes by the next way: nothing to be said here.
          await api.call(respond.taken, { params: { id } }).catch(() => undefined);
        }
      }),
    ),
  { functional: true, dispatch: false },
);
