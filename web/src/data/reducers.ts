import type { Alert, Delivery, FitReply, Latest, Node, Point, Relay, Rollout, Run, Threshold, TripTest } from '@dewpost/contract';
import { createEntityAdapter, type EntityAdapter, type EntityState } from '@ngrx/entity';
import { createFeature, createReducer, on } from '@ngrx/store';
import { eventsOf } from './entities';
import { LiveActions } from './live.actions';
import { placeFeature } from './place.reducer';
import { retiredPoints } from './retired-points';

export { placeFeature, type PlaceState } from './place.reducer';

const { snapshotLoaded, eventsArrived } = LiveActions;

const nodeAdapter = createEntityAdapter<Node>();
export const nodesFeature = createFeature({
  name: 'nodes',
  reducer: createReducer(
    nodeAdapter.getInitialState(),
    on(snapshotLoaded, (state, { snapshot }) => nodeAdapter.setAll(snapshot.nodes, state)),
    on(eventsArrived, (state, { events }) =>
      nodeAdapter.removeMany(
        eventsOf(events, 'node-retired').map(({ id }) => id),
        upsert(
          nodeAdapter,
          state,
          eventsOf(events, 'node').map((event) => event.node),
        ),
      ),
    ),
  ),
});

const pointAdapter = createEntityAdapter<Point>();
export const pointsFeature = createFeature({
  name: 'points',
  reducer: createReducer(
    pointAdapter.getInitialState(),
    on(snapshotLoaded, (state, { snapshot }) => pointAdapter.setAll(snapshot.points, state)),
    on(eventsArrived, (state, { events }) =>
      pointAdapter.removeMany(
        retiredPoints(events),
        upsert(pointAdapter, state, [
          ...eventsOf(events, 'node').flatMap((event) => event.points ?? []),
          ...eventsOf(events, 'recalibrated').map(({ point }) => point),
        ]),
      ),
    ),
  ),
});

const latestAdapter = createEntityAdapter<Latest>({ selectId: (latest) => latest.point });
export const latestFeature = createFeature({
  name: 'latest',
  reducer: createReducer(
    latestAdapter.getInitialState(),
    on(snapshotLoaded, (state, { snapshot }) => latestAdapter.setAll(snapshot.latest, state)),
    on(eventsArrived, (state, { events }) => {
      const changed = new Map<number, Latest>();
      for (const { readings } of eventsOf(events, 'readings')) {
        for (const [point, at, value, quality, reason] of readings) {
          const before = changed.get(point) ?? state.entities[point];
          changed.set(point, nextLatest(before, { point, at, value, quality, reason }));
        }
      }
      // What was known of a point that is converted otherwise now is of another scale; its next reading comes soon.
      const anew = eventsOf(events, 'recalibrated').map(({ point }) => point.id);
      return latestAdapter.removeMany([...retiredPoints(events), ...anew], upsert(latestAdapter, state, [...changed.values()]));
    }),
  ),
});

/** The newest reading of a point with one more taken in; a late one only widens the day's extremes. */
export function nextLatest(before: Latest | undefined, reading: Pick<Latest, 'point' | 'at' | 'value' | 'quality' | 'reason'>): Latest {
  const counts = reading.quality !== 'bad';
  const low = counts ? Math.min(before?.low ?? reading.value, reading.value) : (before?.low ?? null);
  const high = counts ? Math.max(before?.high ?? reading.value, reading.value) : (before?.high ?? null);
  const base = before?.base ?? (counts ? { at: reading.at, value: reading.value } : null);
  return before && before.at > reading.at ? { ...before, low, high } : { ...reading, low, high, base };
}

const thresholdAdapter = createEntityAdapter<Threshold>();
export const thresholdsFeature = createFeature({
  name: 'thresholds',
  reducer: createReducer(
    thresholdAdapter.getInitialState(),
    on(snapshotLoaded, (state, { snapshot }) => thresholdAdapter.setAll(snapshot.thresholds, state)),
    on(eventsArrived, (state, { events }) => {
      const changed = upsert(
        thresholdAdapter,
        state,
        eventsOf(events, 'threshold').map((event) => event.threshold),
      );
      const retired = eventsOf(events, 'threshold-retired').map((event) => event.id);
      return retired.length > 0 ? thresholdAdapter.removeMany(retired, changed) : changed;
    }),
  ),
});

const alertAdapter = createEntityAdapter<Alert>({ sortComparer: (a, b) => b.trippedAt - a.trippedAt || b.id - a.id });
export const alertsFeature = createFeature({
  name: 'alerts',
  reducer: createReducer(
    alertAdapter.getInitialState(),
    on(snapshotLoaded, (state, { snapshot }) => alertAdapter.setAll(snapshot.alerts, state)),
    on(eventsArrived, (state, { events }) =>
      upsert(
        alertAdapter,
        state,
        eventsOf(events, 'alert').map((event) => event.alert),
      ),
    ),
  ),
});

const relayAdapter = createEntityAdapter<Relay>({ selectId: (relay) => relay.point });
export const relaysFeature = createFeature({
  name: 'relays',
  reducer: createReducer(
    relayAdapter.getInitialState(),
    on(snapshotLoaded, (state, { snapshot }) => relayAdapter.setAll(snapshot.relays, state)),
    on(eventsArrived, (state, { events }) =>
      relayAdapter.removeMany(
        retiredPoints(events),
        upsert(
          relayAdapter,
          state,
          eventsOf(events, 'relay').map((event) => event.relay),
        ),
      ),
    ),
  ),
});

const deliveryAdapter = createEntityAdapter<Delivery>({ sortComparer: (a, b) => b.message.sentAt - a.message.sentAt });
export const deliveriesFeature = createFeature({
  name: 'deliveries',
  reducer: createReducer(
    deliveryAdapter.getInitialState(),
    on(snapshotLoaded, (state, { snapshot }) => deliveryAdapter.setAll(snapshot.deliveries, state)),
    on(eventsArrived, (state, { events }) =>
      upsert(
        deliveryAdapter,
        state,
        eventsOf(events, 'delivery').map((event) => event.delivery),
      ),
    ),
  ),
});

const runAdapter = createEntityAdapter<Run>({ sortComparer: (a, b) => b.id - a.id });
export const runsFeature = createFeature({
  name: 'runs',
  reducer: createReducer(
    runAdapter.getInitialState(),
    on(eventsArrived, (state, { events }) =>
      upsert(
        runAdapter,
        state,
        eventsOf(events, 'run').map((event) => event.run),
      ),
    ),
  ),
});

const rolloutAdapter = createEntityAdapter<Rollout>({ sortComparer: (a, b) => b.id - a.id });
export const rolloutsFeature = createFeature({
  name: 'rollouts',
  reducer: createReducer(
    rolloutAdapter.getInitialState(),
    on(eventsArrived, (state, { events }) =>
      upsert(
        rolloutAdapter,
        state,
        eventsOf(events, 'rollout').map((event) => event.rollout),
      ),
    ),
  ),
});

/** What is proved in place, as it is told; by node. */
export const fitsFeature = createFeature({
  name: 'fits',
  reducer: createReducer<Record<string, FitReply>>(
    {},
    on(eventsArrived, (state, { events }) => {
      const told = eventsOf(events, 'fit');
      return told.length === 0 ? state : { ...state, ...Object.fromEntries(told.map(({ node, fit }) => [node, fit])) };
    }),
  ),
});

/** The trip test that was told of last; `null`: none since this page was opened. */
export const tripTestFeature = createFeature({
  name: 'tripTest',
  reducer: createReducer<{ newest: TripTest | null }>(
    { newest: null },
    on(eventsArrived, (state, { events }) => {
      const told = eventsOf(events, 'trip-test').at(-1);
      return told ? { newest: told.test } : state;
    }),
  ),
});

function upsert<T, S extends EntityState<T>>(adapter: EntityAdapter<T>, state: S, changed: T[]): S {
  // One at a time: a sorted adapter lists a thing twice that comes twice in one go.
  return changed.reduce((next, one) => adapter.upsertOne(one, next), state);
}

export const reducers = {
  nodes: nodesFeature.reducer,
  points: pointsFeature.reducer,
  latest: latestFeature.reducer,
  thresholds: thresholdsFeature.reducer,
  alerts: alertsFeature.reducer,
  relays: relaysFeature.reducer,
  deliveries: deliveriesFeature.reducer,
  runs: runsFeature.reducer,
  rollouts: rolloutsFeature.reducer,
  fits: fitsFeature.reducer,
  tripTest: tripTestFeature.reducer,
  place: placeFeature.reducer,
};

export const allNodes = nodeAdapter.getSelectors(nodesFeature.selectNodesState);
export const allPoints = pointAdapter.getSelectors(pointsFeature.selectPointsState);
export const allLatest = latestAdapter.getSelectors(latestFeature.selectLatestState);
export const allThresholds = thresholdAdapter.getSelectors(thresholdsFeature.selectThresholdsState);
export const allAlerts = alertAdapter.getSelectors(alertsFeature.selectAlertsState);
export const allRelays = relayAdapter.getSelectors(relaysFeature.selectRelaysState);
export const allDeliveries = deliveryAdapter.getSelectors(deliveriesFeature.selectDeliveriesState);
export const allRollouts = rolloutAdapter.getSelectors(rolloutsFeature.selectRolloutsState);
export const allRuns = runAdapter.getSelectors(runsFeature.selectRunsState);
