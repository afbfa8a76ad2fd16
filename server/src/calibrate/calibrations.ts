import type { calibrate, Calibration } from '@dewpost/contract';
import { conversionAt, fitPoint, isUncalibrated, piecesOf, versionAt, type Curve } from '@dewpost/core/calibration';
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
import { markSpan } from '../record/marks';
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
    const rows = (await this.parts.database('calibration').whereNull('withdrawn_at').orderBy(['point_id', 'version'])) as Row[];
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
    return ((await this.parts.database('calibration').where({ point_id: point.id }).orderBy('version', 'desc')) as Row[]).map(viewOf);
  }

  /** Fits and keeps one; converts anew what is stored from its begin on. Throws 422 in words where it cannot be fitted or used. */
  async add(point: PointEntry, wanted: Wanted, by: string): Promise<Added> {
    const refuse = (path: string, message: string): never => {
      throw new ProblemError(422, 'Cannot be calibrated', message, [{ path: `body.${path}`, message }]);
    };
    if (point.body.kind !== 'measured') refuse('method', `${point.body.label} is ${point.body.kind}: calibrate what it is computed from.`);
    if (point.node.kind === 'computed') refuse('method', `${point.body.label} is computed: calibrate what it is computed from.`);
    const now = Date.now();
    const fitted = fitPoint(point.body, point.calibrations, now, wanted);
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
    return { ...viewOf(row), residuals: [...fitted.residuals], rSquared: fitted.rSquared, leaveOneOut: fitted.leaveOneOut, reconverted };
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

/**
 * Raw to value, and judged by the range again: what cannot be is bad (2, reason 1), and what was bad for its converted value alone is good
 * where that is right now.
 */
const CONVERT = `
  with piece as (
    select * from json_to_recordset(?::json) as t(first float8, last float8, square float8, gain float8, shift float8)
  ), fresh as (
    select r.at, (p.square * r.raw + p.gain) * r.raw + p.shift as value
    from reading r join piece p on (p.first is null or r.raw >= p.first) and (p.last is null or r.raw < p.last)
    where r.point_id = ? and r.at >= to_timestamp(?::float8 / 1000.0) and r.at < to_timestamp(?::float8 / 1000.0)
  )
  update reading r set value = f.value,
    quality = case when f.value not between c.low and c.high then 2 else case when r.quality = 2 and r.reason = 1 and r.raw between c.least and c.most then 0 else r.quality end end,
    reason = case when f.value not between c.low and c.high then 1 else case when r.quality = 2 and r.reason = 1 and r.raw between c.least and c.most then 0 else r.reason end end
  from fresh f, (values (?::float8, ?::float8, ?::float8, ?::float8)) as c(low, high, least, most)
  where r.point_id = ? and r.at >= to_timestamp(?::float8 / 1000.0) and r.at < to_timestamp(?::float8 / 1000.0)
    and r.at = f.at and r.value is distinct from f.value`;

/** A stretch that is converted by one statement, ms: none is to run long. */
const STRETCH_MS = 7 * 86_400_000;

/**
 * Converts stored readings from a time on anew, from their raw values, each by what is in force at its time: as if it had been in force when
 * they came. Gives how many changed. Done twice it changes nothing more.
 */
async function reconvert(database: Database, point: PointEntry, versions: readonly CalibrationInForce[], from: number): Promise<number> {
  const { rows } = await database.raw<{ rows: { first: number | null; last: number | null }[] }>(
    `select extract(epoch from min(at)) * 1000 as first, extract(epoch from max(at)) * 1000 as last from reading where point_id = ? and at >= to_timestamp(? / 1000.0)`,
    [point.id, from],
  );
  const [span] = rows;
  if (!span || span.first === null || span.last === null) return 0;
  const [first, last] = [Math.floor(Number(span.first)), Number(span.last)];
  const { raw, physicalMin, physicalMax } = point.body;
  const physical = isUncalibrated(raw, versions) ? [-Infinity, Infinity] : [physicalMin, physicalMax];
  const sent = [raw?.min ?? -Infinity, raw?.max ?? Infinity];
  const begins = new Set([first, ...versions.map((one) => one.from).filter((at) => at > first && at <= last)]);
  for (let at = first; at <= last; at += STRETCH_MS) begins.add(at);
  const sorted = [...begins].sort((a, b) => a - b);
  let changed = 0;
  for (const [i, begin] of sorted.entries()) {
    // JSON has no infinity: open ends are left out.
    const open = (at: number): number | null => (Number.isFinite(at) ? at : null);
    const pieces = piecesOf(conversionAt(point.body.raw, versions, begin)).map(({ from: first, to: last, offset: shift, ...piece }) => ({
      ...piece,
      ...{ first: open(first), last: open(last), shift },
    }));
    const end = sorted[i + 1] ?? last + 1;
    changed += await database.transaction(async (trx) => {
      const { rowCount } = await trx.raw<{ rowCount: number }>(CONVERT, [
        ...[JSON.stringify(pieces), point.id, begin, end],
        ...[...physical, ...sent],
        ...[point.id, begin, end],
      ]);
      if (rowCount > 0) await markSpan(trx, [point.id], begin, end);
      return rowCount;
    });
  }
  return changed;
}
