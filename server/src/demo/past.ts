import { dewPointCelsius } from '@dewpost/core/air';
import { calibrated, rawOf, type Coefficients } from '@dewpost/core/calibration';
import * as z from 'zod';
import type { Database, Transaction } from '../database/connect';
import { ensureMonths } from '../database/partitions';
import { FLAG } from '../intake/batch';
import { rollUpWhole } from '../record/rollups';
import { chance } from './chance';
import { controlledCourse, controlledSchema } from './controlled';
import { courseOf, suffer, type Course, type Mishap, type PastPoint } from './quantities';
import { weatherOf } from './weather';

const HOUR_MS = 3_600_000;
const DAY_MS = 24 * HOUR_MS;
const SEED = 1847;

/** The past of a demo: hourly over so many days, and at their own pace over the last ones of them; and what went wrong in it. */
export const pastSchema = z.object({
  days: z.number().int().min(2).max(730),
  fullDays: z.number().int().min(1).max(60),
  /** Nobody writes more often than that into an invented past, s. */
  leastSeconds: z.number().int().min(10).max(3600),
  mishaps: z
    .array(
      z.object({
        node: z.string(),
        point: z.string(),
        kind: z.enum(['stuck', 'drift', 'silent', 'spikes']),
        /** Hours before the demo begins. */
        from: z.number().positive(),
        to: z.number().nonnegative(),
      }),
    )
    .default([]),
  controlled: z.array(controlledSchema).default([]),
});
export type Past = z.infer<typeof pastSchema>;

interface Row extends PastPoint {
  readonly kind: string;
  readonly reportSeconds: number;
  readonly conversion: Coefficients | null;
  /** Its node sends counts. */
  readonly counts: boolean;
  /** Up to where it has no past yet, ms. */
  readonly until: number;
}
/** One point's readings, column by column, as they are stored. */
interface Columns {
  readonly at: number[];
  readonly raw: number[];
  readonly value: number[];
  readonly quality: number[];
  readonly flags: number[];
  readonly reason: number[];
}

/** Writes the past of every point that has one, up to what is there already, and rolls it up. Gives how many readings that were. */
export async function writePast(database: Database, past: Past, now: number): Promise<number> {
  const points = await pointsOf(database, now);
  await ensureMonths(
    database,
    Array.from({ length: past.days + 1 }, (_, day) => ({ at: now - day * DAY_MS })),
  );
  const weather = weatherOf(SEED);
  let written = 0;
  await database.transaction(async (trx) => {
    const kept = new Map<string, Columns>();
    for (const point of points.filter(({ kind }) => kind === 'measured')) {
      const plain = courseOf(point);
      if (!plain) continue;
      const how = past.controlled.find((one) => one.node === point.node && one.point === point.name);
      const { course, switched } = how ? controlledCourse(how, plain) : { course: plain, switched: [] };
      const columns = readingsOf(point, course, past, now, weather);
      if (/^(temperature|humidity)$/.test(point.name)) kept.set(`${point.node} ${point.name}`, columns);
      written += await put(trx, point.id, columns);
      const output = points.find(({ node, name }) => node === how?.node && name === how.output);
      if (output) written += await put(trx, output.id, switchedColumns(switched, output.until));
    }
    for (const point of points.filter(({ kind, name }) => kind === 'derived' && name === 'dew-point')) {
      const dew = dewOf(kept.get(`${point.node} temperature`), kept.get(`${point.node} humidity`));
      if (dew) written += await put(trx, point.id, dew);
    }
    await rollUpWhole(trx, await zoneOf(trx), now - past.days * DAY_MS);
  });
  return written;
}

const zoneOf = async (trx: Transaction): Promise<string> =>
  ((await trx('site').first('timezone')) as { timezone: string } | undefined)?.timezone ?? 'UTC';

async function pointsOf(database: Database, now: number): Promise<Row[]> {
  const rows = (await database('point as p')
    .join('node as n', 'n.id', 'p.node_id')
    .join('room as r', 'r.id', 'n.room_id')
    .where('n.state', 'proved')
    .whereIn('n.kind', ['node'])
    .leftJoin('calibration as c', (on) => void on.on('c.point_id', 'p.id').andOnNull('c.withdrawn_at'))
    .leftJoin(database('reading').min('at as first_at').select('point_id').groupBy('point_id').as('f'), 'f.point_id', 'p.id')
    .orderBy('p.id')
    .select(
      'p.id',
      'p.name',
      'p.body',
      'n.name as node',
      'n.report_seconds',
      'r.name as room',
      'c.gain',
      'c.value_offset',
      'f.first_at',
    )) as {
    id: number;
    name: string;
    node: string;
    room: string;
    report_seconds: number;
    body: { unit: string; min: number; max: number; decimals: number; kind: string; raw: object | null };
    gain: number | null;
    value_offset: number | null;
    first_at: Date | null;
  }[];
  // Of several calibrations the first is enough for an invented past.
  const seen = new Set<number>();
  return rows.flatMap(
    ({ id, name, node, room, report_seconds: reportSeconds, body, gain, value_offset: offset, first_at: first }): Row[] => {
      if (seen.has(id)) return [];
      seen.add(id);
      // Counts without a calibration have no value that could be invented.
      if (body.raw && gain === null) return [];
      const conversion = gain === null ? null : { gain, offset: offset ?? 0 };
      const { unit, min, max, decimals, kind } = body;
      return [
        {
          ...{ id, name, node, room, unit, min, max, decimals, kind, reportSeconds, conversion, counts: body.raw !== null },
          until: first?.getTime() ?? now - 60_000,
        },
      ];
    },
  );
}

function readingsOf(point: Row, course: Course, past: Past, now: number, weather: ReturnType<typeof weatherOf>): Columns {
  const columns: Columns = { at: [], raw: [], value: [], quality: [], flags: [], reason: [] };
  const full = now - past.fullDays * DAY_MS;
  const pace = Math.max(point.reportSeconds, past.leastSeconds) * 1000;
  const mishaps = past.mishaps.filter((one) => one.node === point.node && (one.point === point.name || one.kind === 'silent'));
  const random = chance(point.id + 17);
  let held = NaN;
  for (let at = now - past.days * DAY_MS; at < point.until; at += at < full ? HOUR_MS : pace) {
    const mishap = mishaps.find(({ from, to }) => at >= now - from * HOUR_MS && at < now - to * HOUR_MS);
    const meant = course(at, weather(at));
    if (!mishap) held = NaN;
    else if (Number.isNaN(held)) held = rounded(meant, point.decimals);
    const came = mishap ? suffer(mishap.kind, meant, { share: shareOf(mishap, at, now), held, random }) : FINE(meant);
    const value = rounded(came.value, point.decimals);
    const raw = point.conversion ? rounded(rawOf(point.conversion, value), point.counts ? 0 : point.decimals + 1) : value;
    columns.at.push(at);
    columns.raw.push(raw);
    columns.value.push(point.conversion ? calibrated(point.conversion, raw) : value);
    columns.quality.push(came.quality);
    columns.flags.push(FLAG.imported | (came.late ? FLAG.late : 0));
    columns.reason.push(came.reason);
  }
  return columns;
}

/** What was read back of an output, as it is stored. */
function switchedColumns(switched: readonly { at: number; on: boolean }[], until: number): Columns {
  const rows = switched.filter(({ at }) => at < until);
  const values = rows.map(({ on }) => (on ? 1 : 0));
  const zeros = rows.map(() => 0);
  return {
    ...{ at: rows.map(({ at }) => at), raw: values, value: values, quality: zeros, reason: zeros },
    flags: rows.map(() => FLAG.imported),
  };
}

const FINE = (value: number) => ({ value, quality: 0, reason: 0, late: false });
const shareOf = ({ from, to }: Mishap, at: number, now: number): number => (at - (now - from * HOUR_MS)) / ((from - to) * HOUR_MS);
const rounded = (value: number, decimals: number): number => Math.round(value * 10 ** decimals) / 10 ** decimals;

/** Dew points of what came together. */
function dewOf(temperature: Columns | undefined, humidity: Columns | undefined): Columns | null {
  if (!temperature || !humidity) return null;
  const percent = new Map(humidity.at.map((at, i) => [at, i]));
  const columns: Columns = { at: [], raw: [], value: [], quality: [], flags: [], reason: [] };
  for (const [i, at] of temperature.at.entries()) {
    const other = percent.get(at);
    const dew = other === undefined ? null : dewPointCelsius(temperature.value[i] ?? NaN, humidity.value[other] ?? NaN);
    if (other === undefined || dew === null) continue;
    columns.at.push(at);
    columns.raw.push(dew);
    columns.value.push(dew);
    columns.quality.push(Math.max(temperature.quality[i] ?? 0, humidity.quality[other] ?? 0));
    columns.flags.push(temperature.flags[i] ?? 0);
    columns.reason.push(Math.max(temperature.reason[i] ?? 0, humidity.reason[other] ?? 0));
  }
  return columns;
}

async function put(trx: Transaction, point: number, { at, ...rest }: Columns): Promise<number> {
  if (at.length === 0) return 0;
  const text = (values: readonly number[]): string => `{${values.join(',')}}`;
  await trx.raw(
    `insert into reading (point_id, at, raw, value, quality, flags, reason)
     select ?::int, to_timestamp(at / 1000.0), raw, value, quality, flags, reason
     from unnest(?::float8[], ?::float8[], ?::float8[], ?::int[], ?::int[], ?::int[]) as t(at, raw, value, quality, flags, reason)
     on conflict do nothing`,
    [point, text(at), text(rest.raw), text(rest.value), text(rest.quality), text(rest.flags), text(rest.reason)],
  );
  return at.length;
}
