import type { Delivery, Latest, Me, SharedSnapshot, Site, Snapshot, Status } from '@dewpost/contract';
import type { Database } from '../database/connect';
import { alertRows, alertView } from '../engine/alert-rows';
import type { Engine } from '../engine/engine';
import { deliveryView } from '../outbox/outbox';
import { nodeView, pointView, uncalibrated } from '../model/views';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { dashboardPoints, dashboardsOf } from '../model/dashboards';
import { DayCache } from '../model/history';
import type { Hub } from '../events/hub';

interface Parts {
  database: Database;
  registry: Registry;
  engine: Engine;
  hub: Hub;
  site(): Promise<Site>;
  status(): Status;
}

type AlertRow = Parameters<typeof alertView>[0];

/** Open alerts and the newest others, newest first. */
export async function recentAlerts(database: Database, limit: number, openOnly = false, alertsOnly = false) {
  const query = alertRows(database).orderByRaw('a.cleared_at is null desc, a.tripped_at desc, a.id desc').limit(limit);
  if (openOnly) void query.whereNull('a.cleared_at');
  // Ordinary switching is a line in what happened, and no alert.
  if (alertsOnly) void query.where('a.journal', false);
  return ((await query) as AlertRow[]).map(alertView);
}

/** Messages to people, newest first. */
export async function recentDeliveries(database: Database, limit: number): Promise<Delivery[]> {
  const rows = (await database('outbox').where({ kind: 'message' }).orderBy('id', 'desc').limit(limit)) as Parameters<
    typeof deliveryView
  >[0][];
  return rows.map(deliveryView);
}

const days = new WeakMap<Database, DayCache>();

async function latestOf(parts: Parts, points: readonly PointEntry[]): Promise<Latest[]> {
  const cache = days.get(parts.database) ?? new DayCache();
  days.set(parts.database, cache);
  const heard = points.filter((point) => parts.engine.state.newest.has(point.id));
  const day = await cache.of(
    parts.database,
    heard.map((point) => point.id),
    Date.now(),
  );
  return heard.flatMap((point): Latest[] => {
    const newest = parts.engine.state.newest.get(point.id);
    if (!newest) return [];
    const { at, value, quality, reason } = newest;
    const known = day.get(point.id);
    if (!known) return [{ point: point.id, at, value, quality, reason, low: null, high: null, base: null }];
    // What came since the day was read last may lie beyond it.
    const [low, high] = quality === 'bad' ? [known.low, known.high] : [Math.min(known.low, value), Math.max(known.high, value)];
    return [{ point: point.id, at, value, quality, reason, low, high, base: known.base }];
  });
}

/** Everything a signed-in page holds. The live id is taken first: what changes meanwhile comes again on the stream. */
export async function snapshotFor(parts: Parts, me: Me): Promise<Snapshot> {
  const live = parts.hub.id;
  const { registry, engine, database } = parts;
  const points = [...registry.nodes.values()].flatMap((node) => [...node.points.values()]);
  const outputs = points.filter((point) => point.body.output);
  return {
    live,
    me,
    site: await parts.site(),
    rooms: (await database('room').orderBy('id').select('slug', 'name')) as { slug: string; name: string }[],
    nodes: [...registry.nodes.values()].map(nodeView),
    points: points.map(pointView),
    latest: await latestOf(parts, points),
    thresholds: [...registry.thresholds.values()].map((entry) => engine.thresholdView(entry)),
    alerts: await recentAlerts(database, 200),
    relays: outputs.map((output) => engine.relayView(output, Date.now())),
    deliveries: await recentDeliveries(database, 100),
    dashboards: dashboardsOf(registry),
    status: parts.status(),
  };
}

/** What an onlooker sees: strips, limits, open alerts of one dashboard; no node ids, no keys, nobody's name. */
export async function sharedSnapshotFor(parts: Parts, share: { dashboard: string; endsAt: number }): Promise<SharedSnapshot> {
  const live = parts.hub.id;
  const { registry, engine, database } = parts;
  // What has never measured says nothing to an onlooker.
  const points = (dashboardPoints(registry, share.dashboard) ?? []).filter((point) => point.node.state === 'proved');
  const ids = new Set(points.map((point) => point.id));
  return {
    live,
    site: await parts.site(),
    name: dashboardsOf(registry).find((dashboard) => dashboard.slug === share.dashboard)?.name ?? share.dashboard,
    endsAt: share.endsAt,
    points: withOwnWords(points.map((point) => ({ ...pointView(point), room: point.node.room }))),
    latest: await latestOf(parts, points),
    thresholds: [...registry.thresholds.values()]
      .filter((t) => ids.has(t.point.id) && !uncalibrated(t.point))
      .flatMap((entry) => {
        const { judges, ...view } = engine.thresholdView(entry);
        return judges.kind === 'value' || judges.kind === 'band' ? [{ ...view, judges }] : [];
      }),
    alerts: (await recentAlerts(database, 50, true)).filter((alert) => !alert.journal && alert.point !== null && ids.has(alert.point)),
    relays: points.filter((point) => point.body.output).map((output) => engine.relayView(output, Date.now())),
  };
}

/** Points that an onlooker could not tell apart, being told no nodes, are numbered: no two in a room carry the same words. */
export function withOwnWords<P extends { label: string; room: string }>(points: readonly P[]): P[] {
  const words = (point: P): string => `${point.room}\n${point.label}`;
  const counts = new Map<string, number>();
  for (const point of points) counts.set(words(point), (counts.get(words(point)) ?? 0) + 1);
  const seen = new Map<string, number>();
  return points.map((point) => {
    const key = words(point);
    if ((counts.get(key) ?? 0) < 2) return point;
    const number = (seen.get(key) ?? 0) + 1;
    seen.set(key, number);
    return { ...point, label: `${point.label} ${number}` };
  });
}
