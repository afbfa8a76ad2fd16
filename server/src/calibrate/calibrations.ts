import type { calibrate, Calibration } from '@dewpost/contract';
import { fitPoint, isUncalibrated } from '@dewpost/core/calibration';
import { freshForMs } from '@dewpost/core/alarm';
import { DateTime } from 'luxon';
import type { Logger } from 'pino';
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
import { intervalSeconds } from '../model/periods';
import type { Registry } from '../model/registry';
import { changedMeanwhile, notFound, ProblemError } from '../problem/problem';
import { confirmFault, copyFault } from './inherit';
import { bentWords, calibrationRows, inForce, viewOf, type CalibrationRow } from './calibration-rows';
import { Anew } from './anew';
import { instrumentOf } from './references';
import type { Change, Store } from '../store/change';

/** A record of weeks is converted by then; what takes longer goes on by itself. */
const PATIENCE_MS = 3000;

/** How many readings were converted anew by now, and how far it is; `null`: all of them are. */
interface Settled {
  readonly reconverted: number;
  readonly settling: number | null;
}

type Wanted = z.output<(typeof calibrate.add)['body']>;
type Added = z.input<(typeof calibrate.add)['reply']>;

/** Calibrations: fitted from captures, a version each, in force from a time on, withdrawn and never deleted. Raw values never change. */
export class Calibrations {
  private readonly anew: Anew;

  constructor(
    private readonly parts: {
      store: Store;
      database: Database;
      registry: Registry;
      engine: Engine;
      hub: Hub;
      events: HouseEvents;
      log: Logger;
    },
  ) {
    this.anew = new Anew(parts);
  }

  /** What is under way ends between two stretches, and goes on at the next start. */
  stop(): Promise<void> {
    return this.anew.stop();
  }

  async load(): Promise<void> {
    const rows = (await this.parts.database('calibration').whereNull('withdrawn_at').orderBy(['point_id', 'version'])) as CalibrationRow[];
    for (const row of rows) {
      const point = this.parts.registry.points.get(row.point_id);
      if (point) point.calibrations = [...point.calibrations, inForce(row)];
    }
  }

  async list(point: PointEntry): Promise<Calibration[]> {
    const rows = (await calibrationRows(this.parts.database)
      .where('c.point_id', point.id)
      .orderBy('c.version', 'desc')) as CalibrationRow[];
    return rows.map((row) => ({ ...viewOf(row), settling: this.anew.shareOf(point, row.version) }));
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
    const { row } = await this.change(point, async (change) => {
      const [last] = (await change
        .trx('calibration')
        .where({ point_id: point.id })
        .orderBy('version', 'desc')
        .limit(1)) as CalibrationRow[];
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
          law: wanted.law && JSON.stringify(wanted.law),
          recipe: wanted.recipe,
          uncertainty: fitted.uncertainty,
          valid_from: new Date(from),
          due_at: wanted.dueMonths === null ? null : DateTime.fromMillis(now).plus({ months: wanted.dueMonths }).toJSDate(),
          note: wanted.note,
          reference_id: instrument?.id ?? null,
          reference_overdue: instrument?.overdue ?? false,
          made_by: by,
        })
        .returning('*')) as CalibrationRow[];
      if (!made) throw new Error('a calibration was not written');
      const figures = `× ${gain.toPrecision(6)}, + ${offset.toPrecision(6)} ${point.body.unit}${bentWords(curve)}`;
      const text = `${point.name} calibrated by ${by}, version ${made.version}: ${figures}`;
      await writeNodeLog(change.trx, [{ node: point.node, level: 'info', text }]);
      return { row: made, versions: [...point.calibrations, inForce(made)] };
    });
    const settled = await this.settle(point, row.version, from);
    const [kept = row] = (await calibrationRows(this.parts.database).where({
      'c.point_id': point.id,
      'c.version': row.version,
    })) as CalibrationRow[];
    return {
      ...viewOf(kept),
      residuals: [...fitted.residuals],
      rSquared: fitted.rSquared,
      leaveOneOut: fitted.leaveOneOut,
      words: fitted.words ?? '',
      ...settled,
    };
  }

  /** Copies one to the same point of another node of its sheet; gives its version there, or why not. */
  async copy(point: PointEntry, version: number, name: string, by: string): Promise<{ version: number } | { refused: string }> {
    const [row] = (await calibrationRows(this.parts.database)
      .where({ 'c.point_id': point.id, 'c.version': version })
      .whereNull('c.withdrawn_at')) as CalibrationRow[];
    if (!row) throw notFound(`calibration ${version} in force of ${point.name}`);
    const target = this.parts.registry.nodes.get(name)?.points.get(point.name);
    const refused = copyFault(point, target);
    if (refused !== null || !target) return { refused: refused ?? 'there is no such node' };
    const { row: made } = await this.change(target, async (change) => {
      // Somebody may have calibrated it in the same moment.
      const late = copyFault(point, target);
      if (late !== null) throw new ProblemError(409, 'Not copied', `${target.node.title}: ${late}.`);
      const [last] = (await change
        .trx('calibration')
        .where({ point_id: target.id })
        .orderBy('version', 'desc')
        .limit(1)) as CalibrationRow[];
      const {
        reference_name: _name,
        reference_certificate: _certificate,
        withdrawn_at: _at,
        withdrawn_by: _by,
        made_at: _made,
        ...same
      } = row;
      const [copied] = (await change
        .trx('calibration')
        .insert({
          ...same,
          ...{ point_id: target.id, version: (last?.version ?? 0) + 1, valid_from: new Date(), made_by: by, settled: false },
          ...{
            captures: JSON.stringify(row.captures),
            curve: row.curve && JSON.stringify(row.curve),
            law: row.law && JSON.stringify(row.law),
          },
          ...{ inherited_from: `${point.node.title}, version ${version}`, confirmed_at: null, confirmed_by: null },
        })
        .returning('*')) as CalibrationRow[];
      if (!copied) throw new Error('a calibration was not copied');
      const text = `${target.name} inherits a calibration from ${point.node.name}, version ${version}, by ${by}: not confirmed yet`;
      await writeNodeLog(change.trx, [{ node: target.node, level: 'info', text }]);
      return { row: copied, versions: [...target.calibrations, inForce(copied)] };
    });
    await this.settle(target, made.version, made.valid_from.getTime());
    return { version: made.version };
  }

  /** Somebody has held a reference beside it. Throws 422 with the figures where the two are too far apart, 409 where there is nothing to confirm. */
  async confirm(point: PointEntry, version: number, { shows, instrument }: { shows: number; instrument: number | null }, by: string) {
    const now = Date.now();
    const beside = await instrumentOf(this.parts.database, instrument, point.body.unit, [{ reference: shows, raw: shows }], now);
    const newest = this.parts.engine.state.newest.get(point.id);
    if (!newest || newest.quality === 'bad' || now - newest.at > freshForMs(intervalSeconds(point)))
      throw new ProblemError(409, 'No reading', `${point.body.label} has no good reading of now to compare with: wait for the next one.`);
    await this.change(point, async (change) => {
      const known = point.calibrations.find((each) => each.version === version);
      if (!known?.inherited)
        throw new ProblemError(409, 'Nothing to confirm', `Calibration ${version} is not inherited, or was confirmed before.`);
      const fault = confirmFault(point.body, newest.value, shows, Math.hypot(known.uncertainty, beside?.uncertainty ?? 0));
      if (fault !== null) throw new ProblemError(422, 'Too far apart', fault, [{ path: 'body.shows', message: fault }]);
      const [kept] = (await change
        .trx('calibration')
        .where({ point_id: point.id, version })
        .update({
          // What it was made beside stays its evidence; what has confirmed it stands in the log.
          confirmed_at: new Date(now),
          confirmed_by: by,
        })
        .returning('*')) as CalibrationRow[];
      if (!kept) throw notFound(`calibration ${version} of ${point.name}`);
      const text = `inherited calibration ${version} of ${point.name} confirmed by ${by}: reads ${newest.value}, by hand ${shows} ${point.body.unit}${beside ? `, beside ${beside.name}` : ''}`;
      await writeNodeLog(change.trx, [{ node: point.node, level: 'info', text }]);
      return { row: kept, versions: point.calibrations.map((each) => (each.version === version ? inForce(kept) : each)) };
    });
    const [kept] = (await calibrationRows(this.parts.database).where({ 'c.point_id': point.id, 'c.version': version })) as CalibrationRow[];
    if (!kept) throw notFound(`calibration ${version} of ${point.name}`);
    return viewOf(kept);
  }

  /** Takes one out of force; where its record is still being converted by it, that is called off. */
  async withdraw(point: PointEntry, version: number, by: string): Promise<Settled> {
    const { row } = await this.change(point, async (change) => {
      const [gone] = (await change
        .trx('calibration')
        .where({ point_id: point.id, version })
        .whereNull('withdrawn_at')
        .update({ withdrawn_at: new Date(), withdrawn_by: by, settled: false })
        .returning('*')) as CalibrationRow[];
      if (!gone) throw notFound(`calibration ${version} in force of ${point.name}`);
      const text = `calibration ${version} of ${point.name} withdrawn by ${by}`;
      await writeNodeLog(change.trx, [{ node: point.node, level: 'info', text }]);
      const versions = point.calibrations.filter((one) => one.version !== version);
      this.refuseBareRules(point, versions);
      return { row: gone, versions };
    });
    this.anew.callOff(point, version);
    return this.settle(point, version, row.valid_from.getTime());
  }

  /** Rules in percent say nothing of counts: they go before the last calibration does, and none falls silent by the way. */
  private refuseBareRules(point: PointEntry, versions: readonly CalibrationInForce[]): void {
    const rules = this.parts.registry.thresholdsWith(point.id);
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
    const rows = (await this.parts.database('calibration').where({ settled: false })) as CalibrationRow[];
    for (const row of rows) {
      const point = this.parts.registry.points.get(row.point_id);
      if (point) await this.anew.begin(point, row.version, row.valid_from.getTime()).done;
    }
  }

  /** Puts other calibrations of a point in force, in turn with its readings: none comes in between that is converted by the old ones. */
  private change(
    point: PointEntry,
    write: (change: Change) => Promise<{ row: CalibrationRow; versions: readonly CalibrationInForce[] }>,
  ): Promise<{ row: CalibrationRow; versions: readonly CalibrationInForce[] }> {
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

  /** Converts what was stored before, beside the readings that come in; gives how many changed by the time that somebody waits for it, and whether it goes on. */
  private async settle(point: PointEntry, version: number, from: number): Promise<Settled> {
    const run = this.anew.begin(point, version, from);
    let timer: NodeJS.Timeout | undefined;
    const patience = new Promise<'under way'>((resolve) => (timer = setTimeout(() => resolve('under way'), PATIENCE_MS)));
    const came = await Promise.race([run.done, patience]);
    clearTimeout(timer);
    return { reconverted: run.changed, settling: came === 'under way' ? run.share : null };
  }
}
