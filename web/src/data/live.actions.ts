import type { LiveEvent, Snapshot } from '@dewpost/contract';
import { createActionGroup, emptyProps, props } from '@ngrx/store';

export const LiveActions = createActionGroup({
  source: 'Live',
  events: {
    'Page Opened': emptyProps(),
    'Snapshot Loaded': props<{ snapshot: Snapshot }>(),
    'Snapshot Failed': props<{ message: string }>(),
    'Events Arrived': props<{ events: LiveEvent[] }>(),
    'Link Changed': props<{ connected: boolean }>(),
    'Session Ended': emptyProps(),
  },
});
