import { catalogueOf } from '@dewpost/core/circuit';
import { randomBytes } from 'node:crypto';
import { join } from 'node:path';
import { readConfig } from '../src/config/config';
import { connect, migrate, type Database } from '../src/database/connect';
import { loadScenario, readScenario } from '../src/demo/scenario';
import { readProfiles } from '../src/plan/profiles';
import { makeVault } from '../src/vault/vault';
import { freshDatabase } from './house';

let fresh: Awaited<ReturnType<typeof freshDatabase>>;
let database: Database;
beforeEach(async () => {
  fresh = await freshDatabase();
  database = connect(fresh.url, 2);
  await migrate(database);
});
afterEach(async () => {
  await database?.destroy();
  await fresh?.drop();
});

const load = (change: (scenario: ReturnType<typeof readScenario>) => void = () => undefined) => {
  const config = readConfig({ DATABASE_URL: fresh.url });
  const scenario = readScenario(join(__dirname, '../demo/wrenfold-mill.json'));
  change(scenario);
  const catalogue = catalogueOf(readProfiles(config.catalogueDirectory));
  return loadScenario(database, makeVault(randomBytes(32).toString('hex')), catalogue, scenario, { host: '127.0.0.1', port: 1 }, config);
};

it('a demo that names a point which its sheet has not is not loaded at all', async () => {
  const wrong = load((scenario) => Object.assign(scenario.nodes[0]!.labels, { 'no-such': 'Nothing' }));
  await expect(wrong).rejects.toThrow(/loft-cable-1 no-such, which does not exist/);
  expect(await database('node')).toEqual([]);
});

it('the demo calls its points by depth, bed and machine: no two of a room by the same words, none by a number', async () => {
  await load();
  const points = (await database('point as p')
    .join('node as n', 'n.id', 'p.node_id')
    .join('room as r', 'r.id', 'n.room_id')
    .select('r.name as room', database.raw("coalesce(p.label, p.body->>'label') as label"))) as { room: string; label: string }[];
  expect(points.length).toBeGreaterThan(60);
  const called = points.map(({ room, label }) => `${room}: ${label}`);
  expect(called.filter((words, i) => called.indexOf(words) !== i)).toEqual([]);
  expect(called.filter((words) => /First|Second|[a-z] \d$/.test(words))).toEqual([]);
});

it('the demo computes points of others, their past to be computed at the start; a formula that is not there is said', async () => {
  await load();
  const rows = await database('computed as c')
    .join('computed_version as v', 'v.point_id', 'c.point_id')
    .join('point as p', 'p.id', 'c.point_id')
    .join('node as n', 'n.id', 'p.node_id')
    .orderBy('p.id')
    .select('p.name', 'v.formula', 'c.anew_from', 'n.kind', 'n.key_sealed', database.raw("p.body->>'max' as max"));
  expect(rows.map(({ name, formula, kind, key_sealed: key }) => [name, formula, kind, key])).toEqual([
    ['grain-mean', 'mean', 'computed', null],
    ['water-in-air', 'absolute-humidity', 'computed', null],
    ['vapour-deficit', 'vapour-deficit', 'computed', null],
  ]);
  expect(rows.every((row) => row.anew_from.getTime() === 0)).toBe(true);
});

it('a demo that names a formula which is not there is not loaded at all', async () => {
  await expect(load((scenario) => Object.assign(scenario.computed[0]!, { formula: 'alchemy' }))).rejects.toThrow(
    /formula alchemy, which does not exist/,
  );
  expect(await database('node')).toEqual([]);
});
