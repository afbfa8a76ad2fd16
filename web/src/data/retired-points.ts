import { eventsOf } from './entities';

/** Points of nodes that were retired just now. */
export const retiredPoints = (events: Parameters<typeof eventsOf>[0]): number[] =>
  eventsOf(events, 'node-retired').flatMap(({ points }) => points);
