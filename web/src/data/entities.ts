import type { LiveEvent } from '@dewpost/contract';

/** The events of one type, in order. */
export function eventsOf<T extends LiveEvent['type']>(events: readonly LiveEvent[], type: T): Extract<LiveEvent, { type: T }>[] {
  return events.filter((event): event is Extract<LiveEvent, { type: T }> => event.type === type);
}
