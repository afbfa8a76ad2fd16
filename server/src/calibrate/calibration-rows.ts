import type { calibrate, Calibration, SheetPoint } from '@dewpost/contract';
import { versionAt, type Curve, type Law } from '@dewpost/core/calibration';
import type * as z from 'zod';
import type { Database } from '../database/connect';
import type { CalibrationInForce } from '../model/entries';
import type { Registry } from '../model/registry';

export interface CalibrationRow {
  point_id: number;
  version: number;
  method: Calibration['method'];
  captures: Calibration['captures'];
  gain: number;
  value_offset: number;
  curve: Curve | null;
  law: Law | null;
  recipe: Calibration['recipe'];
  uncertainty: number;
  valid_from: Date;
  due_at: Date | null;
  note: string;
  made_by: string;
  made_at: Date;
  withdrawn_at: Date | null;
  withdrawn_by: string | null;
  inherited_from: string | null;
  confirmed_at: Date | null;
  confirmed_by: string | null;
  reference_id: number | null;
  reference_overdue: boolean;
  reference_name?: string | null;
  reference_certificate?: string | null;
}

/** As pages see it. */
export const viewOf = (row: CalibrationRow): Calibration => ({
  version: row.version,
  method: row.method,
  captures: row.captures,
  uncertainty: row.uncertainty,
  note: row.note,
  madeBy: row.made_by,
  instrument:
    row.reference_id === null
      ? null
      : {
          ...{ id: row.reference_id, name: row.reference_name ?? '', certificate: row.reference_certificate ?? '' },
          overdue: row.reference_overdue,
        },
  inherited:
    row.inherited_from === null
      ? null
      : { from: row.inherited_from, confirmedAt: row.confirmed_at?.getTime() ?? null, confirmedBy: row.confirmed_by },
  recipe: row.recipe,
  law: row.law,
  coefficients: { gain: row.gain, offset: row.value_offset, ...(row.curve && { curve: row.curve }) },
  from: row.valid_from.getTime(),
  dueAt: row.due_at?.getTime() ?? null,
  madeAt: row.made_at.getTime(),
  withdrawnAt: row.withdrawn_at?.getTime() ?? null,
  withdrawnBy: row.withdrawn_by,
  settling: null,
});
/** As intake wants it. */
export const inForce = (row: CalibrationRow): CalibrationInForce => ({
  version: row.version,
  from: row.valid_from.getTime(),
  dueAt: row.due_at?.getTime() ?? null,
  inherited: row.inherited_from !== null && row.confirmed_at === null,
  gain: row.gain,
  offset: row.value_offset,
  curve: row.curve,
  uncertainty: row.uncertainty,
});

/** Calibrations with the instruments that they were made beside. */
export const calibrationRows = (database: Database) =>
  database('calibration as c')
    .leftJoin('reference as f', 'f.id', 'c.reference_id')
    .select('c.*', 'f.name as reference_name', 'f.certificate as reference_certificate');

/** What bends a conversion, for the node's log. */
export function bentWords(curve: Curve | null): string {
  if (curve === null) return '';
  if ('table' in curve) return `, by a table of ${curve.table.length}`;
  return 'turn' in curve ? `, within ${curve.turn}` : `, with ${curve.square.toPrecision(6)} of its square`;
}

/** What converts each point now. */
export async function inForceNow(database: Database, registry: Registry): Promise<(Calibration & { point: number })[]> {
  const rows = (await calibrationRows(database).whereNull('c.withdrawn_at').orderBy(['c.point_id', 'c.version'])) as CalibrationRow[];
  const now = Date.now();
  const byPoint = new Map<number, CalibrationRow[]>();
  for (const row of rows) byPoint.set(row.point_id, [...(byPoint.get(row.point_id) ?? []), row]);
  return [...byPoint].flatMap(([point, all]) => {
    const entry = registry.points.get(point);
    const newest = entry && versionAt(entry.body.raw, all.map(viewOf), now);
    return newest ? [{ ...newest, point }] : [];
  });
}

/** Of all points, those of nodes that are retired too, newest first. */
export async function recordsOf(database: Database, limit: number): Promise<z.input<(typeof calibrate.records)['reply']>> {
  const rows = (await calibrationRows(database)
    .join('point as p', 'p.id', 'c.point_id')
    .join('node as n', 'n.id', 'p.node_id')
    .orderBy('c.made_at', 'desc')
    .limit(limit)
    .select('n.name as node', 'p.name as name', 'p.label as own_label', 'p.body as body')) as (CalibrationRow & {
    node: string;
    name: string;
    own_label: string | null;
    body: SheetPoint;
  })[];
  return rows.map((row) => ({
    ...viewOf(row),
    ...{ point: row.point_id, node: row.node, name: row.name, label: row.own_label ?? row.body.label, unit: row.body.unit },
  }));
}
