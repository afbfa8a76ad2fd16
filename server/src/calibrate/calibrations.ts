import type { calibrate, Calibration, SheetPoint } from '@dewpost/contract';
import { fitPoint, isUncalibrated, versionAt, type Curve } from '@dewpost/core/calibration';
import { DateTime } from 'luxon';
import type * as z from 'zod';
import type { Database } from '../database/connect';
import type { Engine } from '../engine/engine';
import { writeNodeLog } from '../model/node-log';
import { spanOf } from '../model/history';
import type { Job } from '../jobs/jobs';
import type { Hub } from '../events/hub';
import type { HouseEvents } from '../model/house-events';
import { pointView } from '../model/views';
import type { CalibrationInForce, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { changedMeanwhile, notFound, ProblemError } from '../problem/problem';
import { reconvert } from './convert-anew';
import { instrumentOf } from './references';
import { deriveAnew } from './derive-anew';
import type { Change, Store } from '../store/change';

interface Row {
  point_id: number;
  version: number;
  method: Calibration['method'];
  captures: Calibration['captures'];
  gain: number;
  value_offset: number;
  curve: Curve | null;
  recipe: Calibration['recipe'];
  uncertainty: number;
  valid_from: Date;
  due_at: Date | null;
  note: string;
  made_by: string;
  made_at: Date;
  withdrawn_at: Date | null;
  withdrawn_by: string | null;
  reference_id: number | null;
  reference_overdue: boolean;
  reference_name?: string | null;
  reference_certificate?: string | null;
}

type Wanted = z.output<(typeof calibrate.add)['body']>;
type Added = z.input<(typeof calibrate.add)['reply']>;

const viewOf = (row: Row): Calibration => ({
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
  recipe: row.recipe,
  coefficients: { gain: row.gain, offset: row.value_offset, ...(row.curve && { curve: row.curve }) },
  from: row.valid_from.getTime(),
  dueAt: row.due_at?.getTime() ?? null,
  madeAt: row.made_at.getTime(),
  withdrawnAt: row.withdrawn_at?.getTime() ?? null,
  withdrawnBy: row.withdrawn_by,
});
const inForce = (row: Row): CalibrationInForce => ({
  version: row.version,
  from: row.valid_from.getTime(),
  dueAt: row.due_at?.getTime() ?? null,
  gain: row.gain,
  offset: row.value_offset,
  curve: row.curve,
  uncertainty: row.uncertainty,
});

const calibrationRows = (database: Database) =>
  database('calibration as c')
    .leftJoin('reference as f', 'f.id', 'c.reference_id')
    .select('c.*', 'f.name as reference_name', 'f.certificate as reference_certificate');

/** Calibrations: fitted from captures, a version each, in force from a time on, withdrawn and never deleted. Raw values never change. */
export class Calibrations {
  constructor(
    private readonly parts: { store: Store; database: Database; registry: Registry; engine: Engine; hub: Hub; events: HouseEvents },
  ) {}

  async load(): Promise<void> {
    const rows = (await this.parts.database('calibration').whereNull('withdrawn_at').orderBy(['point_id', 'version'])) as Row[];
    for (const row of rows) {
      const point = this.parts.registry.points.get(row.point_id);
      if (point) point.calibrations = [...point.calibrations, inForce(row)];
    }
  }

  async inForceNow(): Promise<(Calibration & { point: number })[]> {
    const rows = (await calibrationRows(this.parts.database).whereNull('c.withdrawn_at').orderBy(['c.point_id', 'c.version'])) as Row[];
    const now = Date.now();
    const byPoint = new Map<number, Row[]>();
    for (const row of rows) byPoint.set(row.point_id, [...(byPoint.get(row.point_id) ?? []), row]);
    return [...byPoint].flatMap(([point, all]) => {
      const entry = this.parts.registry.points.get(point);
      const newest = entry && versionAt(entry.body.raw, all.map(viewOf), now);
      return newest ? [{ ...newest, point }] : [];
    });
  }

  async list(point: PointEntry): Promise<Calibration[]> {
    const rows = (await calibrationRows(this.parts.database).where('c.point_id', point.id).orderBy('c.version', 'desc')) as Row[];
    return rows.map(viewOf);
  }

  /** Of all points, those of nodes that are retired too, newest first. */
  async records(limit: number): Promise<z.input<(typeof calibrate.records)['reply']>> {
    const rows = (await calibrationRows(this.parts.database)
      .join('point as p', 'p.id', 'c.point_id')
      .join('node as n', 'n.id', 'p.node_id')
      .orderBy('c.made_at', 'desc')
      .limit(limit)
      .select('n.name as node', 'p.name as name', 'p.label as own_label', 'p.body as body')) as (Row & {
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

  /** Fits and keeps one; converts anew what is stored from its begin on. Throws 422 in words where it cannot be fitted or used. */
  async add(point: PointEntry, wanted: Wanted, by: string): Promise<Added> {
    const refuse = (path: string, message: string): never => {
      throw new ProblemError(422, 'Cannot be calibrated', message, [{ path: `body.${path}`, message }]);
    };
    if (point.body.kind !== 'measured') refuse('method', `${point.body.label} is ${point.body.kind}: calibrate what it is computed from.`);
    if (point.node.kind === 'computed') refuse('method', `${point.body.label} is computed: calibrate what it is computed from.`);
    const now = Date.now();
    const instrument = await instrumentOf(this.parts.database, wanted.instrument, point.body.unit, wanted.captures, now);
    const reference = Math.max(wanted.reference, instrument?.uncertainty ?? 0);
    const fitted = fitPoint(point.body, point.calibrations, now, { ...wanted, reference });
    if (typeof fitted === 'string') return refuse('captures', `${fitted.charAt(0).toUpperCase()}${fitted.slice(1)}.`);
    const from = wanted.from === undefined ? now : spanOf({ from: String(wanted.from), to: String(now) }, now).from;
    const { gain, offset, curve = null } = fitted.coefficients;
    const { row, versions } = await this.change(point, async (change) => {
      const [last] = (await change.trx('calibration').where({ point_id: point.id }).orderBy('version', 'desc').limit(1)) as Row[];
      if (wanted.after !== undefined && wanted.after !== (last?.version ?? 0))
        throw changedMeanwhile('calibration', wanted.after, last?.version ?? 0, last && viewOf(last));
      const [made] = (await change
        .trx('calibration')
        .insert({
          point_id: point.id,
          version: (last?.version ?? 0) + 1,
          method: wanted.method,
          captures: JSON.stringify(wanted.captures),
          gain,
          value_offset: offset,
          curve: curve && JSON.stringify(curve),
          recipe: wanted.recipe,
          uncertainty: fitted.uncertainty,
          valid_from: new Date(from),
          due_at: wanted.dueMonths === null ? null : DateTime.fromMillis(now).plus({ months: wanted.dueMonths }).toJSDate(),
          note: wanted.note,
          reference_id: instrument?.id ?? null,
          reference_overdue: instrument?.overdue ?? false,
          made_by: by,
        })
        .returning('*')) as Row[];
      if (!made) throw new Error('a calibration was not written');
      const bent =
        curve === null
          ? ''
          : 'table' in curve
            ? `, by a table of ${curve.table.length}`
            : `, with ${curve.square.toPrecision(6)} of its square`;
      const figures = `× ${gain.toPrecision(6)}, + ${offset.toPrecision(6)} ${point.body.unit}${bent}`;
      const text = `${point.name} calibrated by ${by}, version ${made.version}: ${figures}`;
      await writeNodeLog(change.trx, [{ node: point.node, level: 'info', text }]);
      return { row: made, versions: [...point.calibrations, inForce(made)] };
    });
    const reconverted = await this.settle(point, row.version, versions, from);
    const [kept = row] = (await calibrationRows(this.parts.database).where({ 'c.point_id': point.id, 'c.version': row.version })) as Row[];
    return { ...viewOf(kept), residuals: [...fitted.residuals], rSquared: fitted.rSquared, leaveOneOut: fitted.leaveOneOut, reconverted };
  }

  async withdraw(point: PointEntry, version: number, by: string): Promise<number> {
    const { row, versions } = await this.change(point, async (change) => {
      const [gone] = (await change
        .trx('calibration')
        .where({ point_id: point.id, version })
        .whereNull('withdrawn_at')
        .update({ withdrawn_at: new Date(), withdrawn_by: by, settled: false })
        .returning('*')) as Row[];
      if (!gone) throw notFound(`calibration ${version} in force of ${point.name}`);
      const text = `calibration ${version} of ${point.name} withdrawn by ${by}`;
      await writeNodeLog(change.trx, [{ node: point.node, level: 'info', text }]);
      const versions = point.calibrations.filter((one) => one.version !== version);
      this.refuseBareRules(point, versions);
      return { row: gone, versions };
    });
    return this.settle(point, version, versions, row.valid_from.getTime());
  }

  /** Rules in percent say nothing of counts: they go before the last calibration does, and none falls silent by the way. */
  private refuseBareRules(point: PointEntry, versions: readonly CalibrationInForce[]): void {
    const rules = this.parts.registry.thresholdsByPoint.get(point.id) ?? [];
    if (rules.length === 0 || !isUncalibrated(point.body.raw, versions)) return;
    const text = `Without it ${point.body.label} is told in ${point.body.raw?.unit ?? 'raw values'}, and ${rules.length === 1 ? 'its rule would' : `its ${rules.length} rules would`} be judged no longer. Keep another calibration first, or stand them down.`;
    throw new ProblemError(409, 'Rules hang on it', text);
  }

  /** What was cut off by an end of the server, or of the database, goes on. */
  readonly job: Job = {
    name: 'convert_anew',
    failed: 'stored readings could not be converted anew',
    everyMinutes: null,
    run: () => this.goOn(),
  };

  private async goOn(): Promise<void> {
    const rows = (await this.parts.database('calibration').where({ settled: false })) as Row[];
    for (const row of rows) {
      const point = this.parts.registry.points.get(row.point_id);
      if (point) await this.settle(point, row.version, point.calibrations, row.valid_from.getTime());
    }
  }

  /** Puts other calibrations of a point in force, in turn with its readings: none comes in between that is converted by the old ones. */
  private change(
    point: PointEntry,
    write: (change: Change) => Promise<{ row: Row; versions: readonly CalibrationInForce[] }>,
  ): Promise<{ row: Row; versions: readonly CalibrationInForce[] }> {
    const { store, engine, hub } = this.parts;
    return engine.work(() =>
      store.commit(async (change) => {
        const changed = await write(change);
        change.apply(() => (point.calibrations = changed.versions));
        change.tell(() => hub.publish([{ type: 'recalibrated', point: pointView(point) }]));
        return changed;
      }),
    );
  }

  /** Converts what was stored before, beside the readings that come in; gives how many changed. */
  private async settle(point: PointEntry, version: number, versions: readonly CalibrationInForce[], from: number): Promise<number> {
    // Where nothing else converts, the first one reaches back to the beginning.
    const begin = point.body.raw !== null && point.body.raw.nominal === null ? 0 : from;
    const changed = await reconvert(this.parts.database, point, versions, begin);
    await deriveAnew(this.parts.database, point, begin);
    if (changed > 0) await this.parts.events.settle('rewritten', { points: [...point.node.points.values()], from: begin });
    await this.parts.database('calibration').where({ point_id: point.id, version }).update({ settled: true });
    return changed;
  }
}
