import { tripTestSchema, type TripTest } from '@dewpost/contract';
import type { Database } from '../database/connect';

interface TestRow {
  id: number;
  threshold_id: number;
  version: number;
  title: string;
  node: string;
  by_whom: string;
  how: TripTest['how'];
  setpoint: number;
  value: number;
  low: number | null;
  also_setpoint: number | null;
  output: string | null;
  begun_at: Date;
  until: Date;
  ended_at: Date | null;
  ended_why: string | null;
  passed: boolean | null;
  legs: unknown;
}

const BEFORE_LISTED = 200;

/** Tests that are over, newest first; of a site with many the last two hundred. */
export async function endedTests(database: Database): Promise<TripTest[]> {
  const rows = (await joined(database).whereNotNull('t.ended_at').orderBy('t.id', 'desc').limit(BEFORE_LISTED)) as TestRow[];
  return rows.map(viewOf);
}

/** For every rule its newest test that is over, and the newest that passed: its number, and when it ended (ms). */
export async function lastTests(database: Database): Promise<{ last: Map<number, TripTest>; passedAt: Map<number, number> }> {
  const newest = (await joined(database)
    .whereNotNull('t.ended_at')
    .distinctOn('t.threshold_id')
    .orderBy([{ column: 't.threshold_id' }, { column: 't.id', order: 'desc' }])) as TestRow[];
  const passed = (await database('trip_test')
    .where({ passed: true })
    .groupBy('threshold_id')
    .select('threshold_id')
    .max('ended_at as at')) as {
    threshold_id: number;
    at: Date;
  }[];
  return {
    last: new Map(newest.map((row) => [row.threshold_id, viewOf(row)])),
    passedAt: new Map(passed.map(({ threshold_id: id, at }) => [id, at.getTime()])),
  };
}

const joined = (database: Database) =>
  database('trip_test as t')
    .join('threshold as h', 'h.id', 't.threshold_id')
    .join('point as p', 'p.id', 'h.point_id')
    .join('node as n', 'n.id', 'p.node_id')
    .select('t.*', 'n.name as node');

const viewOf = (row: TestRow): TripTest =>
  tripTestSchema.parse({
    id: row.id,
    threshold: row.threshold_id,
    version: row.version,
    title: row.title,
    node: row.node,
    by: row.by_whom,
    how: row.how,
    setpoint: row.setpoint,
    value: row.value,
    low: row.low,
    alsoSetpoint: row.also_setpoint,
    output: row.output,
    begunAt: row.begun_at.getTime(),
    until: row.until.getTime(),
    phase: 'over',
    endedAt: row.ended_at?.getTime() ?? null,
    endedWhy: row.ended_why,
    passed: row.passed,
    legs: row.legs,
  });
