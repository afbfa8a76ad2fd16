import { catalogueOf } from '@dewpost/core/circuit';
import knex from 'knex';
import { randomBytes } from 'node:crypto';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { addAccount } from '../src/access/accounts';
import { makeVault, secretFile } from '../src/vault/vault';
import { readConfig } from '../src/config/config';
import { connect, migrate, type Database } from '../src/database/connect';
import { loadScenario, readScenario } from '../src/demo/scenario';
import { readProfiles } from '../src/plan/profiles';
import { ensureDemoFirmware } from '../src/provision/demo-firmware';
import { startServer, type RunningServer } from '../src/server';
import { FakeNode } from './fake-node';
import { TestHandset } from './handset';
import { Visitor, type Answer, type Body } from './visitor';

export { FakeNode } from './fake-node';
export { Visitor, type Answer, type Body } from './visitor';

const QUICK = join(__dirname, '../demo/quick.json');

/** A database of its own on the cluster of `npm test` (scripts/test.mjs). */
export async function freshDatabase(): Promise<{
  url: string;
  drop(): Promise<void>;
  /** Takes it away as a stopped server would, connections and all, and gives it back. */
  goAway(): Promise<void>;
  comeBack(): Promise<void>;
  /** A copy of it under another name, as from a dump; nobody may be connected. */
  copy(): Promise<{ url: string; drop(): Promise<void> }>;
}> {
  const cluster = process.env['DEWPOST_TEST_CLUSTER'];
  if (!cluster) throw new Error('server tests need PostgreSQL: run them with npm test');
  const name = `t_${randomBytes(6).toString('hex')}`;
  const admin = async (sql: string): Promise<void> => {
    const pool = knex({ client: 'pg', connection: cluster, pool: { min: 0, max: 1 } });
    await pool.raw(sql);
    await pool.destroy();
  };
  await admin(`create database ${name}`);
  return {
    url: cluster.replace(/\/[^/]+$/, `/${name}`),
    drop: () => admin(`drop database if exists ${name} with (force)`),
    async goAway() {
      await admin(`alter database ${name} allow_connections false`);
      await admin(`select pg_terminate_backend(pid) from pg_stat_activity where datname = '${name}'`);
    },
    comeBack: () => admin(`alter database ${name} allow_connections true`),
    async copy() {
      await admin(`select pg_terminate_backend(pid) from pg_stat_activity where datname = '${name}'`);
      await admin(`create database ${name}_copy template ${name}`);
      return { url: cluster.replace(/\/[^/]+$/, `/${name}_copy`), drop: () => admin(`drop database if exists ${name}_copy with (force)`) };
    },
  };
}

export interface House {
  server: RunningServer;
  database: Database;
  databaseUrl: string;
  dataDirectory: string;
  /** The database goes away, connections and all, and comes back. */
  goAway(): Promise<void>;
  comeBack(): Promise<void>;
  copyDatabase(): Promise<{ url: string; drop(): Promise<void> }>;
  /** The server ends and starts again at the same ports, on what the database has; `meanwhile` happens between. */
  restart(meanwhile?: () => Promise<unknown>): Promise<void>;
  handset: TestHandset;
  maker: Visitor;
  keeper: Visitor;
  visitor(): Visitor;
  /** Makes a node through the API; gives its key and its points by name. */
  node(id: string, room?: string): Promise<{ id: string; key: string; points: Record<string, number> }>;
  close(): Promise<void>;
}

/** The whole server in this process on free ports and a database of its own, with the quick scenario and two accounts. */
export async function openHouse(
  environment: Record<string, string> = {},
  fitting: 'needed' | 'taken as done' = 'taken as done',
  site: { timezone?: string } = {},
): Promise<House> {
  const fresh = await freshDatabase();
  const dataDirectory = mkdtempSync(join(tmpdir(), 'dewpost-test-'));
  const handset = new TestHandset();
  const config = readConfig({
    DATABASE_URL: fresh.url,
    DEWPOST_HTTP_PORT: '0',
    DEWPOST_MQTT_PORT: '0',
    DEWPOST_DATA_DIR: dataDirectory,
    DEWPOST_LOG: process.env['DEWPOST_LOG'] ?? 'silent',
    DEWPOST_TICK_MS: '100',
    DEWPOST_HANDSET_URL: await handset.start(),
    // What nodes of the outside are told: an address that they could reach.
    DEWPOST_ADDRESS: '192.168.7.2',
    ...environment,
  });
  const database = connect(fresh.url, 3);
  await migrate(database);
  const catalogue = catalogueOf(readProfiles(config.catalogueDirectory));
  const vault = makeVault(secretFile(dataDirectory, 'secret.key'));
  const scenario = readScenario(QUICK);
  Object.assign(scenario.site, site);
  await loadScenario(database, vault, catalogue, scenario, { host: '127.0.0.1', port: 1 }, config);
  await ensureDemoFirmware(database, dataDirectory);
  await addAccount(database, 'millwright', 'maker', 'a long password');
  await addAccount(database, 'baker', 'keeper', 'a long password');
  // A test may stop the server itself; it ends once.
  const endsOnce = (running: RunningServer): RunningServer => {
    let stopped: Promise<void> | null = null;
    return { ...running, close: () => (stopped ??= running.close()) };
  };
  const server = endsOnce(await startServer(config, fitting));
  const signIn = async (name: string): Promise<Visitor> => {
    const visitor = new Visitor(server.url);
    const answer = await visitor.post('/api/v1/session', { name, password: 'a long password' });
    if (answer.status !== 200) throw new Error(`sign-in failed: ${JSON.stringify(answer.body)}`);
    return visitor;
  };
  const maker = await signIn('millwright');
  const house: House = {
    server,
    database,
    databaseUrl: fresh.url,
    dataDirectory,
    goAway: () => fresh.goAway(),
    comeBack: () => fresh.comeBack(),
    copyDatabase: () => fresh.copy(),
    handset,
    maker,
    keeper: await signIn('baker'),
    visitor: () => new Visitor(server.url),
    async node(id, room = 'Proving room') {
      const { status, body } = await maker.post('/api/v1/nodes', { id, room, buildSheet: 'climate-post' });
      if (status !== 200) throw new Error(JSON.stringify(body));
      return {
        id,
        key: body.key,
        points: Object.fromEntries(body.points.map((point: { name: string; id: number }) => [point.name, point.id])),
      };
    },
    async restart(meanwhile) {
      const { url, mqttPort } = house.server;
      await house.server.close();
      await meanwhile?.();
      house.server = endsOnce(await startServer({ ...config, httpPort: Number(new URL(url).port), mqttPort }, fitting));
    },
    async close() {
      await FakeNode.endAll();
      await house.server.close();
      handset.stop();
      await database.destroy();
      await fresh.drop();
      rmSync(dataDirectory, { recursive: true, force: true });
    },
  };
  return house;
}

/** Puts a rule with these changes over the version in force. */
export async function changeRule(visitor: Visitor, id: number, change: object): Promise<Answer> {
  const rules: Body[] = (await visitor.get('/api/v1/thresholds')).body;
  const {
    id: _id,
    point: _point,
    clearLevel: _clear,
    confirm: _confirm,
    phase: _phase,
    proofDueAt: _due,
    version,
    ...rule
  } = rules.find((each) => each.id === id);
  return visitor.call('PUT', `/api/v1/thresholds/${id}`, { ...rule, ...change, from: version });
}

/** The site's subnet, as the demo has it. */
export const SUBNET = {
  id: 'site',
  network: '192.168.7.0',
  prefix: 24,
  router: '192.168.7.1',
  poolFirst: '192.168.7.100',
  poolLast: '192.168.7.199',
};

/** Waits until `check` gives something; fails with what it gave last. */
export async function eventually<T>(
  check: () => Promise<T | null | undefined | false> | T | null | undefined | false,
  what: string,
  withinMs = 60_000,
): Promise<T> {
  const until = Date.now() + withinMs;
  for (;;) {
    const found = await check();
    if (found) return found;
    if (Date.now() > until) throw new Error(`waited in vain: ${what}`);
    await pause(25);
  }
}

/** Waits for a line in a node's log: some are written after the answer, beside what was asked. Gives all lines, as they stand then. */
export const logged = (
  visitor: Visitor,
  node: string,
  pattern: RegExp,
  level?: string,
): Promise<{ level: string; text: string; times: number }[]> =>
  eventually(
    async () => {
      const lines: { level: string; text: string; times: number }[] = (await visitor.get(`/api/v1/nodes/${node}/log`)).body;
      return lines.some((line) => pattern.test(line.text) && (level === undefined || line.level === level)) ? lines : null;
    },
    `${String(pattern)} in the log of ${node}`,
  );

export const pause = (ms: number): Promise<void> => new Promise((resolve) => setTimeout(resolve, ms));
