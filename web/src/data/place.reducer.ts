import { roomSlug } from '@dewpost/core/naming';
import { type Me, type Site, type Room, type Dashboard, type Status } from '@dewpost/contract';
import { createFeature, createReducer, on } from '@ngrx/store';
import { retiredPoints } from './retired-points';
import { LiveActions } from './live.actions';
import { eventsOf } from './entities';
const { snapshotLoaded, snapshotFailed, eventsArrived, linkChanged } = LiveActions;

export interface PlaceState {
  me: Me | null;
  site: Site | null;
  rooms: Room[];
  dashboards: Dashboard[];
  status: Status | null;
  /** The live stream stands. */
  connected: boolean;
  loaded: boolean;
  problem: string | null;
}
const place: PlaceState = { me: null, site: null, rooms: [], dashboards: [], status: null, connected: true, loaded: false, problem: null };
export const placeFeature = createFeature({
  name: 'place',
  reducer: createReducer(
    place,
    on(snapshotLoaded, (state, { snapshot }): PlaceState => {
      const { me, site, rooms, dashboards, status } = snapshot;
      return { ...state, me, site, rooms, dashboards, status, loaded: true, problem: null };
    }),
    on(snapshotFailed, (state, { message }): PlaceState => ({ ...state, problem: message })),
    on(linkChanged, (state, { connected }): PlaceState => ({ ...state, connected })),
    on(eventsArrived, (state, { events }): PlaceState => {
      const status = eventsOf(events, 'status').at(-1)?.status ?? state.status;
      return { ...state, status, dashboards: withNewNodes(state.dashboards, events) };
    }),
  ),
});

/** Dashboards build themselves: a new node's points join its room's and the one of all rooms. */
function withNewNodes(dashboards: Dashboard[], events: Parameters<typeof eventsOf>[0]): Dashboard[] {
  let result = dashboards;
  for (const { node, points } of eventsOf(events, 'node')) {
    if (!points) continue;
    const ids = points.map((point) => point.id);
    const has = (dashboard: Dashboard): boolean => ids.every((id) => dashboard.points.includes(id));
    const add = (dashboard: Dashboard): Dashboard => (has(dashboard) ? dashboard : { ...dashboard, points: [...dashboard.points, ...ids] });
    // It may have been moved here from another room.
    const elsewhere = result.map((dashboard) => (dashboard.name === node.room ? dashboard : without(dashboard, ids)));
    // By its name: how a slug is made, and which is free, is the server's to say; until it says, this one serves.
    const rooms = elsewhere.filter((dashboard) => dashboard.slug !== 'all' && dashboard.points.length > 0);
    const known = rooms.some((dashboard) => dashboard.name === node.room);
    const grown = known
      ? rooms.map((dashboard) => (dashboard.name === node.room ? add(dashboard) : dashboard))
      : [...rooms, { slug: roomSlug(node.room, new Set(rooms.map((dashboard) => dashboard.slug))), name: node.room, points: ids }];
    result =
      grown.length > 1 ? [{ slug: 'all', name: 'All rooms', points: grown.flatMap((dashboard) => dashboard.points) }, ...grown] : grown;
  }
  const gone = retiredPoints(events);
  return gone.length === 0 ? result : result.map((dashboard) => without(dashboard, gone)).filter(({ points }) => points.length > 0);
}

function without(dashboard: Dashboard, points: readonly number[]): Dashboard {
  return dashboard.points.some((id) => points.includes(id))
    ? { ...dashboard, points: dashboard.points.filter((id) => !points.includes(id)) }
    : dashboard;
}
