import type { Relay } from '@dewpost/contract';
import type { Database } from '../database/connect';
import type { Registry } from '../model/registry';
import { alertRows, alertView, type AlertRow } from './alert-rows';
import { parseEngineState, type EngineState, type Newest } from './draft';
import { nodeKey, thresholdKey, type Demand } from './effects';
import { toldOfRow, type Told, type ToldRow } from './told';

interface DemandRow {
  id: number;
  point_id: number;
  source: Demand['source'];
  threshold_id: number | null;
  started_at: Date;
  ends_at: Date | null;
  by_whom: string;
  reason: string;
}

/** What the database has of the engine's state. Read whole before anything is replaced; commands are known to the running server only. */
export type Stored = Omit<EngineState, 'commands' | 'waiting' | 'noticed' | 'flood'>;

export async function readStored(database: Database, registry: Registry, shard: number): Promise<Stored> {
  const states = (await database('engine_state').where({ shard }).select('key', 'state')) as { key: string; state: string }[];
  const readings = (await database('point as p')
    .joinRaw('join lateral (select at, value, quality from reading r where r.point_id = p.id order by at desc limit 1) r on true')
    .select('p.id', 'r.at', 'r.value', 'r.quality')) as { id: number; at: Date; value: number; quality: number }[];
  const openAlerts = (await alertRows(database).whereNull('a.cleared_at')) as AlertRow[];
  const tellings = (await database('alert').whereNull('cleared_at').whereNotNull('told').select('id', 'told')) as {
    id: number;
    told: ToldRow;
  }[];
  const standing = (await database('demand').whereNull('ended_at').orderBy('id')) as DemandRow[];
  const views = (await database('relay_state').select('point_id', 'view')) as { point_id: number; view: Relay }[];

  const newest = new Map<number, Newest>();
  const lastGood = new Map<number, number>();
  for (const { id, at, value, quality: code } of readings) {
    const quality = (['good', 'suspect', 'bad'] as const)[code] ?? 'bad';
    newest.set(id, { at: at.getTime(), value, quality, reason: null });
    if (quality === 'good') lastGood.set(id, at.getTime());
  }
  const alerts: Stored['alerts'] = new Map();
  for (const row of openAlerts) {
    const node = registry.nodes.get(row.node);
    const point = row.point_id === null ? null : (registry.points.get(row.point_id) ?? null);
    if (node) alerts.set(row.threshold_id === null ? nodeKey(row.kind, node, point) : thresholdKey(row.threshold_id), alertView(row));
  }
  const told = new Map<number, Told>(tellings.map((row) => [row.id, toldOfRow(row.told)]));
  const demands = new Map<number, Demand[]>();
  for (const row of standing) {
    const output = registry.points.get(row.point_id);
    if (!output) continue;
    demands.set(output.id, [
      ...(demands.get(output.id) ?? []),
      {
        id: row.id,
        output,
        source: row.source,
        threshold: row.threshold_id,
        startedAt: row.started_at.getTime(),
        endsAt: row.ends_at?.getTime() ?? null,
        by: row.by_whom,
        reason: row.reason,
      },
    ]);
  }
  // What an output did before this server listened is not known now.
  const relays = new Map(views.map(({ point_id: id, view }) => [id, { ...view, state: null, renewing: false }]));
  return { ...parseEngineState(states), newest, lastGood, alerts, told, demands, relays };
}
