import { fitResponse } from '@dewpost/core/control';
import { catalogueOf } from '@dewpost/core/circuit';
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { readConfig } from '../src/config/config';
import { connect, migrate, type Database } from '../src/database/connect';
import { writePast } from '../src/demo/past';
import { writePastAlerts } from '../src/demo/past-alerts';
import { loadScenario, readScenario } from '../src/demo/scenario';
import { readProfiles } from '../src/plan/profiles';
import { readRecord } from '../src/record/read';
import { rollUp } from '../src/record/rollups';
import { makeVault } from '../src/vault/vault';
import { freshDatabase } from './house';

const HOUR = 3_600_000;
let fresh: Awaited<ReturnType<typeof freshDatabase>>;
let database: Database;
let now: number;
let written: number;
beforeAll(async () => {
  fresh = await freshDatabase();
  database = connect(fresh.url, 2);
  await migrate(database);
  const config = readConfig({ DATABASE_URL: fresh.url });
  const scenario = readScenario(join(__dirname, '../demo/wrenfold-mill.json'));
  await loadScenario(
    database,
    makeVault(randomBytes(32).toString('hex')),
    catalogueOf(readProfiles(config.catalogueDirectory)),
    scenario,
    { host: '127.0.0.1', port: 1 },
    config,
  );
  now = Date.now();
  // A month of it, a day of that in full: the year is the same, twelve times.
  const mishaps = [
    { node: 'loft-cable-3', point: 'temperature-2', kind: 'stuck' as const, from: 260, to: 212 },
    { node: 'weir-level', point: '', kind: 'silent' as const, from: 150, to: 102 },
    { node: 'race-level', point: 'level', kind: 'spikes' as const, from: 20, to: 16 },
  ];
  written = await writePast(
    database,
    { days: 30, fullDays: 2, leastSeconds: 120, mishaps, controlled: scenario.past?.controlled ?? [] },
    now,
  );
});
afterAll(async () => {
  await database?.destroy();
  await fresh?.drop();
});

const readings = async (
  node: string,
  point: string,
): Promise<{ at: Date; raw: number; value: number; quality: number; flags: number; reason: number }[]> =>
  database('reading as r')
    .join('point as p', 'p.id', 'r.point_id')
    .join('node as n', 'n.id', 'p.node_id')
    .where({ 'n.name': node, 'p.name': point })
    .orderBy('r.at')
    .select('r.*');

it('the proving room was kept by its humidifier: what was read and what was switched fit together, and a model of it can be fitted', async () => {
  const [humidity, humidifier] = [await readings('prove-climate', 'humidity'), await readings('prove-climate', 'humidifier')];
  const full = humidity.filter(({ at }) => at.getTime() > now - 47 * HOUR);
  expect(Math.min(...full.map(({ value }) => value))).toBeGreaterThan(64);
  expect(Math.max(...full.map(({ value }) => value))).toBeLessThan(78);
  // On and off by turns, and none of it ahead.
  expect(humidifier.length).toBeGreaterThan(40);
  expect(humidifier.every(({ value }, i) => i === 0 || value !== humidifier[i - 1]?.value)).toBe(true);
  expect(humidifier.every(({ at }) => at.getTime() < now)).toBe(true);
  const fit = fitResponse(
    full.map(({ at, value }) => ({ at: at.getTime(), value })),
    humidifier.map(({ at, value }) => ({ at: at.getTime(), on: value === 1 })),
  );
  expect(fit).toMatchObject({ plant: { explained: expect.closeTo(0.99, 1), gain: expect.closeTo(32, -1) } });
});

it('every point of the mill that measures has a past, hourly and then at its own pace; none of it lies ahead', async () => {
  const [{ count, newest }] = (await database('reading').count('* as count').max('at as newest')) as unknown as [
    { count: string; newest: Date },
  ];
  expect([written > 40_000, Number(count) > written, newest.getTime() < now]).toEqual([true, true, true]);
  const level = await readings('race-level', 'level');
  const gaps = level.slice(1).map(({ at }, i) => (at.getTime() - level[i]!.at.getTime()) / 1000);
  expect([...new Set(gaps.map(Math.round))].sort((a, b) => a - b)).toEqual([120, 3600]);
  // What stood there already, of the day before, is as it was.
  const climate = await readings('prove-climate', 'humidity');
  const day = climate.filter(({ at }) => at.getTime() > now - 23 * HOUR);
  expect(day.every(({ value }) => value > 60 && value < 95)).toBe(true);
  expect(new Set(climate.map(({ at }) => at.getTime())).size).toBe(climate.length);
});

it('counts are those that its calibration makes its percent of', async () => {
  const bed = await readings('cellar-beds', 'soil-moisture');
  expect(bed.length).toBeGreaterThan(1000);
  const [gain, offset] = [(42 - 6) / (1010 - 2690), 6 - ((42 - 6) / (1010 - 2690)) * 2690];
  for (const { raw, value } of bed.slice(0, 50)) {
    expect(raw).toBe(Math.round(raw));
    expect(value).toBeCloseTo(gain * raw + offset, 6);
  }
});

it('what went wrong is there: stuck, jumping, and come late', async () => {
  const stuck = (await readings('loft-cable-3', 'temperature-2')).filter(({ reason }) => reason === 4);
  expect([stuck.length > 10, new Set(stuck.map(({ value }) => value)).size, stuck.every(({ quality }) => quality === 1)]).toEqual([
    true,
    1,
    true,
  ]);
  const jumps = (await readings('race-level', 'level')).filter(({ reason }) => reason === 3);
  expect(jumps.length).toBeGreaterThan(10);
  const late = (await readings('weir-level', 'level')).filter(({ flags }) => flags & 1);
  expect(late.length).toBeGreaterThan(10);
  expect(late.every(({ quality }) => quality === 0)).toBe(true);
});

it('is rolled up at once, just as quarter by quarter it would be: minutes of what reports fast among it', async () => {
  const levels = (): Promise<Record<string, unknown>[]> => database('rollup').orderBy(['point_id', 'level', 'at']);
  const whole = await levels();
  expect([0, 1, 2].map((level) => whole.filter((row) => row['level'] === level).length > 1000)).toEqual([true, true, true]);
  const quarters = whole.filter(({ level }, i) => level === 1 && i % 50 === 0);
  await database('rollup_due')
    .insert(quarters.map(({ point_id, at }) => ({ point_id, at })))
    .onConflict()
    .ignore();
  while ((await rollUp(database, 'Europe/London', now)) > 0);
  const near = (rows: Record<string, unknown>[]) => rows.map((row) => ({ ...row, total: Math.round(Number(row['total']) * 1e3) }));
  expect(near(await levels())).toEqual(near(whole));
});

it('the day before shows on a point that reports fast: its record by minutes has no hole', async () => {
  const { id } = (await database('point as p')
    .join('node as n', 'n.id', 'p.node_id')
    .where({ 'n.name': 'prove-climate', 'p.name': 'humidity' })
    .first('p.id')) as { id: number };
  const { buckets, level } = await readRecord(database, {
    ...{ point: id, from: now - 24 * HOUR, to: now, zone: 'Europe/London', live: null, most: 750, reportSeconds: 5, rawFrom: -Infinity },
  });
  const counted = buckets.reduce((sum, { count }) => sum + count, 0);
  expect([level, counted > 600, (buckets[0]?.at ?? 0) < now - 23 * HOUR]).toEqual(['minute', true, true]);
});

it('its alerts are those that its rules would have raised over it: over, seen by somebody, none of what is switched silently', async () => {
  const count = await writePastAlerts(database, now);
  const alerts = await database('alert as a')
    .join('threshold_version as v', (on) => void on.on('v.threshold_id', 'a.threshold_id').andOn('v.version', 'a.threshold_version'))
    .select('a.*', 'v.rule');
  expect([count > 3, alerts.length]).toEqual([true, count]);
  for (const { rule, value, tripped_at: tripped, cleared_at: cleared, acknowledged_at: seen, severity, body } of alerts) {
    expect(rule.consequences).toContain('alert');
    expect(rule.side === 'high' ? value >= rule.setpoint : value <= rule.setpoint).toBe(true);
    expect([tripped < cleared, tripped < seen, cleared.getTime() <= now, severity, body.length > 10]).toEqual([
      true,
      true,
      true,
      rule.severity,
      true,
    ]);
  }
});

it('calibrations stand in every state: in order, due, inherited, withdrawn; and one bed has none', async () => {
  const rows = await database('calibration');
  const states = rows.map((row) =>
    row.withdrawn_at ? 'withdrawn' : row.inherited_from ? 'inherited' : row.due_at.getTime() < now ? 'due' : 'in order',
  );
  expect([...new Set(states)].sort()).toEqual(['due', 'in order', 'inherited', 'withdrawn']);
  const bare = await database('point as p')
    .whereRaw("p.body->'raw'->>'unit' = 'counts'")
    .whereNotIn('p.id', database('calibration').select('point_id'));
  expect(bare.length).toBeGreaterThan(0);
});
