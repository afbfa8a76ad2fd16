import { connect, migrate, type Database } from '../src/database/connect';
import { givenOfWiring } from '../src/database/migrations/010-mend';
import { rollUp } from '../src/record/rollups';
import { freshDatabase } from './house';
import { itMigratesSince019 } from './migrations-since-019';
import { itMigratesSince040 } from './migrations-since-040';

let fresh: Awaited<ReturnType<typeof freshDatabase>>;
let database: Database;
beforeAll(async () => {
  fresh = await freshDatabase();
  database = connect(fresh.url, 2);
});
afterAll(async () => {
  await database?.destroy();
  await fresh?.drop();
});

/** Wiring as the version before wrote it: two shorts, and pins that nodes were built by. */
const WIRING = [
  { from: 'board 3.3 V', to: 'air supply', colour: 'red', through: 'direct' },
  { from: 'pin 18', to: 'air data', colour: 'yellow', through: 'direct, pull-up on the module' },
  { from: 'pin 19', to: 'air clock', colour: 'yellow', through: 'direct, pull-up on the module' },
  { from: 'board 3.3 V', to: 'door supply', colour: 'red', through: 'direct' },
  { from: 'board ground', to: 'door ground', colour: 'black', through: 'direct' },
  { from: 'pin 4', to: 'door contact', colour: 'blue', through: '1000 kΩ up to 3.3 V' },
  { from: 'pin 16', to: 'radar line', colour: 'violet', through: 'direct' },
  { from: 'pin 17', to: 'radar line', colour: 'violet', through: 'direct' },
  { from: 'pin 23', to: 'low data', colour: 'yellow', through: '4.7 kΩ up to 3.3 V, once a line' },
];
const point = (name: string, more: object = {}) => ({
  name,
  label: name,
  kind: 'measured',
  unit: '°C',
  min: 0,
  max: 40,
  decimals: 1,
  physicalMin: -40,
  physicalMax: 85,
  spikeStep: 8,
  stuckAfterSeconds: 300,
  thresholds: [],
  derived: null,
  output: null,
  ...more,
});
const POINTS = [
  point('temperature'),
  point('humidity', { unit: '%', max: 100, physicalMax: 100 }),
  point('rain', { unit: 'mm', stuckAfterSeconds: 3600 }),
  point('soil-moisture', { unit: '%', decimals: 0 }),
  point('open', { unit: '', max: 1, decimals: 0, stuckAfterSeconds: null }),
  point('flood', { unit: '', max: 1, decimals: 0, stuckAfterSeconds: null }),
  point('fan', { kind: 'switched', unit: '', max: 1, decimals: 0, stuckAfterSeconds: null }),
];

it('pins of before are read from the wiring table, by line', () => {
  expect(givenOfWiring(WIRING)).toEqual({
    'i2c-1.data': '18',
    'i2c-1.clock': '19',
    'door.contact': '4',
    'radar.line-in': '16',
    'radar.line-out': '17',
    'single-wire-1': '23',
  });
});

it('a filled database of the version before: contacts hold, what may stand still is not stuck, pins stay, nothing is lost', async () => {
  await migrate(database, '009-choices');
  const [room] = await database('room').insert({ slug: 'loft', name: 'Loft' }).returning('id');
  const [sheet] = await database('build_sheet')
    .insert({
      slug: 'post',
      version: 1,
      name: 'Post',
      body: JSON.stringify({ wiring: WIRING, points: POINTS, draft: { board: 'wifi-dual-38', parts: [] }, reportSeconds: 5 }),
    })
    .returning('id');
  const [node] = await database('node')
    .insert({ name: 'loft-1', room_id: room.id, build_sheet_id: sheet.id, key_digest: Buffer.alloc(32), report_seconds: 5 })
    .returning('id');
  const points = await database('point')
    .insert(POINTS.map((body, place) => ({ node_id: node.id, place, name: body.name, body: JSON.stringify(body) })))
    .returning(['id', 'name']);
  const id = (name: string): number => points.find((one: { name: string }) => one.name === name).id;
  for (const name of ['open', 'temperature']) {
    const [row] = await database('threshold')
      .insert({ point_id: id(name), version: 1 })
      .returning('id');
    const rule = {
      side: 'high',
      setpoint: 0.5,
      deadband: 0.4,
      onDelaySeconds: 600,
      offDelaySeconds: 0,
      severity: 'warning',
      confirm: 'readings',
      output: null,
      clearLevel: 0.1,
    };
    await database('threshold_version').insert({ threshold_id: row.id, version: 1, rule: JSON.stringify(rule), made_by: 'maker' });
  }
  await database('alert').insert({
    kind: 'silent',
    node_id: node.id,
    severity: 'advisory',
    title: 't',
    body: 'b',
    tripped_at: new Date(),
    earlier: false,
  });

  await migrate(database, '010-mend');

  const bodies = new Map((await database('point').select('name', 'body')).map((row) => [row.name, row.body]));
  const judged = (name: string) => [
    bodies.get(name).confirm,
    bodies.get(name).stuckAfterSeconds,
    bodies.get(name).restsAt,
    bodies.get(name).protective,
  ];
  expect(judged('temperature')).toEqual(['readings', 43_200, null, false]);
  expect(judged('humidity')).toEqual(['readings', 43_200, 100, false]);
  expect(judged('rain')).toEqual(['readings', null, null, false]);
  expect(judged('soil-moisture')).toEqual(['readings', null, null, false]);
  expect(judged('open')).toEqual(['hold', null, null, false]);
  expect(judged('flood')).toEqual(['hold', null, null, true]);
  expect(judged('fan')).toEqual(['hold', null, null, false]);
  const rules = await database('threshold_version as v')
    .join('threshold as t', 't.id', 'v.threshold_id')
    .join('point as p', 'p.id', 't.point_id')
    .select('p.name', 'v.rule');
  expect(Object.fromEntries(rules.map((row) => [row.name, [row.rule.confirm, row.rule.tells, row.rule.setpoint]]))).toEqual({
    open: ['hold', 'alert', 0.5],
    temperature: ['readings', 'alert', 0.5],
  });
  const stored = (await database('build_sheet').first('body')).body;
  expect(stored.draft.given['door.contact']).toBe('4');
  expect(stored.points.map((one: { name: string; confirm: string }) => [one.name, one.confirm])).toEqual(
    POINTS.map(({ name }) => [name, bodies.get(name).confirm]),
  );
  expect(await database('alert').first('journal', 'title')).toEqual({ journal: false, title: 't' });
});

it('a filled database of the version before this one: one running run a node, no reading that is no number, nothing else lost', async () => {
  await migrate(database, '010-mend');
  const node = (await database('node').first('id')) as { id: number };
  const point = (await database('point').where({ name: 'temperature' }).first('id')) as { id: number };
  const runs = await database('provision_run')
    .insert([1, 2].map(() => ({ node_id: node.id, by_whom: 'maker', firmware: 'dewnode', way: 'serial' })))
    .returning('id');
  await database.raw("create table reading_2026_11 partition of reading for values from ('2026-11-01') to ('2026-12-01')");
  const reading = (minute: number, value: string) => ({
    point_id: point.id,
    at: new Date(Date.UTC(2026, 10, 26, 9, minute)),
    raw: value,
    value,
    quality: 0,
    flags: 0,
    reason: 0,
  });
  await database('reading').insert([reading(1, '21.5'), reading(2, 'Infinity'), reading(3, 'NaN'), reading(4, '-40')]);
  await database('outbox').insert({ kind: 'message', body: '{}' });
  await database('firmware').insert({
    id: 'dewnode-1.0.0-wifi-dual-38',
    name: 'dewnode',
    version: '1.0.0',
    board: 'wifi-dual-38',
    bytes: 4,
    sha256: 'ab',
    file: '/srv/old machine/.data/firmware/ab.bin',
    made_by: 'maker',
  });

  await migrate(database, '011-steady');

  expect(await database('firmware').first('file')).toEqual({ file: 'ab.bin' });

  const kept = await database('provision_run').orderBy('id').select('id', 'result', 'ended_at');
  expect(kept).toEqual([
    { id: runs[0].id, result: 'stopped', ended_at: expect.any(Date) },
    { id: runs[1].id, result: 'running', ended_at: null },
  ]);
  expect((await database('reading').orderBy('at').select('value')).map((row) => row.value)).toEqual([21.5, -40]);
  await expect(database('reading').insert(reading(5, 'Infinity'))).rejects.toThrow(/reading_finite/);
  await database('outbox').insert({ kind: 'settings', body: '{}' });
  await expect(database('outbox').insert({ kind: 'gossip', body: '{}' })).rejects.toThrow(/outbox_kind_check/);
  expect(await database('outbox')).toHaveLength(2);
});

it('a filled database of the version before: what is there are nodes, and only a source may be without a sheet', async () => {
  await migrate(database, '012-sources');
  const kinds = await database('node').select('name', 'kind', 'build_sheet_id');
  expect(kinds.length).toBeGreaterThan(0);
  expect(kinds.every(({ kind, build_sheet_id: sheet }) => kind === 'node' && sheet !== null)).toBe(true);
  const [room] = await database('room').select('id');
  const made = (name: string, kind: string) =>
    database('node').insert({ name, kind, room_id: room.id, key_digest: Buffer.from(name.padEnd(32)), report_seconds: 900 });
  await expect(made('no-sheet', 'node')).rejects.toThrow(/node_has_a_sheet/);
  await expect(made('no-kind', 'robot')).rejects.toThrow(/violates check constraint/);
  await made('weather', 'source');
});

it('a filled database of the version before: nodes keep their ids for names and their points their words; what is adopted needs no sheet', async () => {
  const before = {
    nodes: await database('node').orderBy('id').select('id', 'name', 'kind'),
    points: await database('point').select('id', 'body'),
  };
  expect(before.points.length).toBeGreaterThan(0);
  await migrate(database, '013-names');
  expect(await database('node').orderBy('id').select('id', 'name', 'kind')).toEqual(before.nodes);
  expect(await database('node').whereNotNull('title').orWhereNotNull('retired_at')).toEqual([]);
  expect(await database('point').select('id', 'body')).toEqual(before.points);
  expect(await database('point').whereNotNull('label')).toEqual([]);
  const [room] = await database('room').select('id');
  const oven = { name: 'oven', kind: 'adopted', room_id: room.id, key_digest: Buffer.alloc(32, 7), report_seconds: 900 };
  const [{ id }] = await database('node').insert(oven).returning('id');
  await database('adopted_filter').insert({ node_id: id, filter: 'oven/#' });
  await expect(database('adopted_filter').insert({ node_id: before.nodes[0].id, filter: 'oven/#' })).rejects.toThrow(/unique/);
});

it('a filled database of the version before: checks that were made were possible, nothing is unproved, and images go into slots', async () => {
  await database('fit_check').insert({
    node_id: (await database('node').first('id')).id,
    by_whom: 'baker',
    need: 'signal',
    passed: true,
    detail: '',
  });
  await migrate(database, '015-first-write');
  expect(await database('fit_check').where({ possible: false })).toEqual([]);
  expect((await database('node').select('unproved')).every(({ unproved }) => unproved.length === 0)).toBe(true);
  expect(await database('firmware').whereNotNull('parts').orWhereNotNull('configuration')).toEqual([]);
  const check = { node_id: (await database('node').first('id')).id, by_whom: 'baker', need: 'x', detail: '' };
  await expect(database('fit_check').insert({ ...check, passed: true, possible: false })).rejects.toThrow(/passed_is_possible/);
});

it('a filled database of the version before: rules follow up as they did, raw stays raw, and what waits in the outbox waits on', async () => {
  const [threshold] = await database('threshold').select('id', 'version');
  const rule = (await database('threshold_version').where({ threshold_id: threshold.id }).first('rule')).rule;
  const later = (version: number, more: object) =>
    database('threshold_version').insert({
      threshold_id: threshold.id,
      version,
      rule: JSON.stringify({ ...rule, ...more }),
      made_by: 'baker',
    });
  const output = { node: 'loft-1', output: 'fan' };
  await later(2, { output, tells: 'alert' });
  await later(3, { output, tells: 'journal' });
  const before = {
    outbox: await database('outbox').orderBy('id').select('id', 'kind', 'body'),
    readings: await database('reading').orderBy('at'),
  };
  expect(before.outbox.length).toBeGreaterThan(0);

  await migrate(database, '017-calibrations');

  const rules = await database('threshold_version').where({ threshold_id: threshold.id }).orderBy('version').select('rule');
  expect(rules.map((row) => row.rule.consequences)).toEqual([['alert'], ['alert', 'control'], ['control']]);
  expect(rules.map((row) => [row.rule.act, row.rule.words, row.rule.route])).toEqual(Array(3).fill(['on', null, null]));
  expect(rules[1].rule).toMatchObject({ setpoint: 0.5, deadband: 0.4, output });
  expect(await database('outbox').orderBy('id').select('id', 'kind', 'body')).toEqual(before.outbox);
  expect(await database('reading').orderBy('at')).toEqual(before.readings);
  for (const table of ['notice', 'way', 'calibration']) expect(await database(table)).toEqual([]);
  await database('outbox').insert({ kind: 'way', body: '{}' });
  await expect(database('outbox').insert({ kind: 'gossip', body: '{}' })).rejects.toThrow(/outbox_kind_check/);
  await expect(
    database('way').insert({ kind: 'pigeon', name: 'p', settings: '{}', least: 'warning', notices: true, made_by: 'baker' }),
  ).rejects.toThrow(/way_kind_check/);
});

it('a filled database of the version before: all of its record is due to be rolled up, and its points send their own unit', async () => {
  const readings = await database('reading').orderBy('at');
  expect(readings.length).toBeGreaterThan(0);
  const labels = (await database('point').orderBy('id')).map((row) => row.body.label);

  await migrate(database, '018-record');

  expect(await database('reading').orderBy('at')).toEqual(readings);
  const bodies = (await database('point').orderBy('id')).map((row) => row.body);
  expect(bodies.map((body) => [body.label, body.raw])).toEqual(labels.map((label) => [label, null]));
  for (const { body } of await database('build_sheet')) for (const { raw } of body.points) expect(raw).toBeNull();
  const due = await database('rollup_due');
  const quarters = new Set(readings.map(({ point_id, at }) => `${point_id} ${Math.floor(at.getTime() / 900_000)}`));
  expect(new Set(due.map(({ point_id, at }) => `${point_id} ${at.getTime() / 900_000}`))).toEqual(quarters);
});

itMigratesSince019(() => database);
itMigratesSince040(() => database);

it('what was marked as due by a migration is rolled up by what runs today', async () => {
  const readings = await database('reading').orderBy('at');
  expect(readings.length).toBeGreaterThan(0);
  while ((await rollUp(database, 'UTC', Date.now())) > 0);
  const kept = await database('rollup').where({ level: 1 });
  expect(kept.reduce((sum, { count, bad }) => sum + count + bad, 0)).toBe(readings.length);
});
