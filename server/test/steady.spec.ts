import { isExpired } from '@dewpost/core/wire';
import fc from 'fast-check';
import type { Client, QueryConfig } from 'pg';
import { pino } from 'pino';
import type { Database } from '../src/database/connect';
import { KEPT, tidy } from '../src/compose/housekeeping';
import { Engine } from '../src/engine/engine';
import { ShelfBook } from '../src/engine/shelf';
import type { Effect } from '../src/engine/effects';
import { readStored } from '../src/engine/load';
import { decode } from '../src/intake/decode';
import { takeIn } from '../src/intake/pipeline';
import { Events } from '../src/events/events';
import type { Hub } from '../src/events/hub';
import type { HouseEvents } from '../src/model/house-events';
import type { OutboxItem } from '../src/outbox/items';
import type { Outbox } from '../src/outbox/outbox';
import { Marks } from '../src/record/marks';
import { Registry, silentAfterMs, type NodeEntry } from '../src/model/registry';
import { RoutePlans } from '../src/ways/route-plans';
import { Store } from '../src/store/change';
import { Failures } from './failures';
import { eventually, FakeNode, openHouse, type House } from './house';

const WRITTEN = ['reading', 'alert', 'alert_event', 'demand', 'command', 'outbox', 'relay_state', 'engine_state', 'node'];
const log = pino({ level: 'silent' });

let house: House;
let failures: Failures;
beforeAll(async () => {
  house = await openHouse();
  failures = await Failures.on(house.database, [
    ...WRITTEN,
    'node_log',
    'threshold',
    'threshold_version',
    'provision_run',
    'provision_step',
  ]);
}, 60_000);
afterAll(() => house.close());
afterEach(() => failures.now(null));

/** An engine of its own beside the server's, on the same tables, for nodes that the server never hears of. */
async function anEngine(shard: number) {
  const registry = new Registry('taken as done');
  await registry.load(house.database);
  const told: string[] = [];
  /** The answer to the next commit is lost on the way: the database has it, and nobody here knows. */
  const line = { losesAnswer: false, statements: [] as string[] };
  const answer = (result: unknown): unknown => {
    if (!line.losesAnswer) return result;
    line.losesAnswer = false;
    throw new Error('Connection terminated unexpectedly');
  };
  const pool = house.database.client as { acquireConnection(): Promise<unknown>; releaseConnection(connection: Client): Promise<void> };
  const lossy: Record<string, unknown> = {
    transaction: async (run: Parameters<Database['transaction']>[0]) => answer(await house.database.transaction(run)),
    // Statements that are transactions of their own go straight to a connection.
    client: {
      acquireConnection: async () => {
        const connection = (await pool.acquireConnection()) as Client;
        const query = async (asked: QueryConfig): Promise<unknown> => {
          line.statements.push(asked.text);
          return answer(await connection.query(asked));
        };
        return { query, connection };
      },
      releaseConnection: ({ connection }: { connection: Client }) => pool.releaseConnection(connection),
    },
  };
  const database = new Proxy(house.database, {
    get: (target, key) => lossy[String(key)] ?? (Reflect.get(target, key) as unknown),
  });
  const store = new Store(database, log);
  /** Both its clocks stand still until a test moves them. */
  const time = { wall: Date.now(), steady: 0 };
  /** So much time passes, and the clock is set by so much; then time is looked at. */
  const tick = (ms: number, step = 0): Promise<void> => {
    time.wall += ms + step;
    time.steady += ms;
    return engine.work(() => engine.tick());
  };
  const events: HouseEvents = new Events(log);
  const engine: Engine = new Engine({
    store,
    clock: { wall: () => time.wall, steady: () => time.steady },
    registry,
    hub: { publish: (events: { type: string }[]) => void told.push(...events.map((event) => event.type)) } as unknown as Hub,
    outbox: { dispatch: (items: readonly OutboxItem[]) => void told.push(...items.map((item) => item.kind)) } as unknown as Outbox,
    events,
    log,
    shard,
    tickMs: 1000,
    handsetUrl: 'http://127.0.0.1:1/',
    ways: () => [],
    routes: new RoutePlans({ store, database: house.database, ways: () => [], handset: true, zone: () => 'UTC', changed: () => undefined }),
    shelves: new ShelfBook(),
  });
  await engine.load();
  const parts = {
    database: house.database,
    registry,
    engine,
    events,
    log,
    note: () => undefined,
    marks: new Marks(),
    forwarded: () => null,
    judgeFirst: () => Promise.resolve(false),
  };
  return { engine, registry, parts, told, store, line, time, tick };
}

describe('memory and database say the same', () => {
  it('whatever fails in between: readings, alerts, demands, commands and the states of thresholds (random work, random failures)', async () => {
    const made = await house.node('steady-1');
    await house.database('node').where({ name: 'steady-1' }).update({ state: 'proved' });
    const rule = {
      side: 'low',
      setpoint: 60,
      deadband: 5,
      onDelaySeconds: 0,
      offDelaySeconds: 0,
      severity: 'warning',
      output: made.points['humidifier'],
    };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: made.points['humidity'] });
    await house.maker.post('/api/v1/thresholds', {
      ...rule,
      setpoint: 40,
      output: null,
      severity: 'critical',
      point: made.points['humidity'],
    });
    const { engine, registry, parts, told, time } = await anEngine(7);
    const node = registry.nodes.get('steady-1')!;
    const output = registry.points.get(made.points['humidifier']!)!;
    const point = made.points['humidity']!;
    let at = Date.now() - 3_600_000;

    const say = async (humidity: number): Promise<boolean> => {
      at += 5000;
      const body = JSON.stringify([{ n: 'humidity', t: at / 1000, v: humidity }]);
      const message = { node, body, arrivedAt: at };
      const taken = await engine
        .work(() => takeIn(parts, [{ ...message, decoded: decode(message) }]))
        .then(
          () => true,
          () => false,
        );
      // What was answered is stored, and what was not is not.
      expect(await house.database('reading').where({ point_id: point, at: new Date(at) })).toHaveLength(taken ? 1 : 0);
      return taken;
    };
    const hand = (on: boolean): Promise<boolean> =>
      engine
        .apply(
          on
            ? [
                {
                  kind: 'start-demand',
                  demand: { output, source: 'hand', threshold: null, startedAt: at, endsAt: Date.now() + 60_000, by: 'x', reason: '' },
                },
              ]
            : [{ kind: 'end-demand', output, source: 'hand', threshold: null, at, why: 'off' }],
        )
        .then(
          () => true,
          () => false,
        );
    const agree = async (): Promise<void> => {
      const stored = await readStored(house.database, registry, 7);
      const known = engine.state;
      const ofNode = (alerts: typeof known.alerts) =>
        [...alerts].flatMap(([key, alert]) => (alert.node === 'steady-1' ? [`${key} ${alert.id}`] : [])).sort();
      expect(ofNode(known.alerts)).toEqual(ofNode(stored.alerts));
      const demands = (all: typeof known.demands) => (all.get(output.id) ?? []).map((demand) => demand.id);
      expect(demands(known.demands)).toEqual(demands(stored.demands));
      expect(known.newest.get(point)?.at).toBe(stored.newest.get(point)?.at);
      for (const [id, state] of stored.thresholds) expect(known.thresholds.get(id)).toEqual(state);
      const waiting = (await house.database('command').where({ point_id: output.id }).orderBy('issued', 'desc').first('id')) as
        { id: string } | undefined;
      expect(known.commands.get(output.id)?.id).toBe(waiting?.id);
    };

    const step = fc.record({
      work: fc.oneof(fc.integer({ min: 20, max: 90 }), fc.constantFrom('on' as const, 'off' as const)),
      fails: fc.option(fc.constantFrom(...WRITTEN), { freq: 2 }),
    });
    let [kept, lost] = [0, 0];
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 25 }), async (steps) => {
        for (const { work, fails } of steps) {
          time.wall += 10;
          time.steady += 10;
          await failures.now(fails);
          told.length = 0;
          const done = typeof work === 'number' ? await say(work) : await hand(work === 'on');
          if (done) kept++;
          else {
            lost++;
            // Nobody is told of what did not happen.
            expect(told).toEqual([]);
          }
          await agree();
        }
        // And nothing is stuck afterwards: it trips, and it clears.
        await failures.now(null);
        await say(85);
        expect(await house.database('alert').where({ point_id: point, kind: 'threshold' }).whereNull('cleared_at')).toHaveLength(0);
        await say(30);
        expect(await house.database('alert').where({ point_id: point, kind: 'threshold' }).whereNull('cleared_at')).toHaveLength(2);
        await agree();
      }),
      { numRuns: 8, endOnFailure: true },
    );
    // The test has seen both.
    expect(kept).toBeGreaterThan(20);
    expect(lost).toBeGreaterThan(10);
  }, 120_000);

  it('a commit that got no answer: what the database has is read before anything is decided', async () => {
    const made = await house.node('steady-2');
    await house.database('node').where({ name: 'steady-2' }).update({ state: 'proved' });
    const { engine, registry, store, line } = await anEngine(8);
    const node = registry.nodes.get('steady-2')!;
    const output = registry.points.get(made.points['humidifier']!)!;
    const demand = {
      output,
      source: 'hand' as const,
      threshold: null,
      startedAt: Date.now(),
      endsAt: Date.now() + 60_000,
      by: 'x',
      reason: '',
    };
    line.losesAnswer = true;
    await expect(engine.apply([{ kind: 'start-demand', demand }])).rejects.toThrow(/went away while it committed/);
    expect(engine.state.demands.get(output.id)).toBeUndefined();
    // Ended although this memory never saw it begin.
    await engine.apply([{ kind: 'end-demand', output, source: 'hand', threshold: null, at: Date.now(), why: 'off' }]);
    expect(await house.database('demand').where({ point_id: output.id }).whereNull('ended_at')).toHaveLength(0);
    // Whoever's commit it was: what became of a node is read anew too, and what only this process knows of it stays.
    Object.assign(node, { connected: true, hellos: 3 });
    line.losesAnswer = true;
    const write = store.commit(async (change) => {
      await change.trx('node').where({ id: node.id }).update({ state: 'stopped', revision: 12 });
      change.apply(() => Object.assign(node, { state: 'stopped', revision: 12 }));
    });
    await expect(write).rejects.toThrow(/went away/);
    expect([node.state, node.revision]).toEqual(['proved', 1]);
    await engine.upToDate();
    expect([node.state, node.revision, node.connected, node.hellos]).toEqual(['stopped', 12, true, 3]);
    expect(registry.nodes.get('steady-2')).toBe(node);
  });
});

describe('one statement', () => {
  const rule = {
    side: 'low',
    setpoint: 60,
    deadband: 5,
    onDelaySeconds: 0,
    offDelaySeconds: 0,
    severity: 'warning',
    output: null,
  };
  const taking = async (name: string, shard: number) => {
    const made = await house.node(name);
    await house.database('node').where({ name }).update({ state: 'proved' });
    const point = made.points['humidity']!;
    await house.maker.post('/api/v1/thresholds', { ...rule, point });
    const { engine, registry, parts, line } = await anEngine(shard);
    const node = registry.nodes.get(name)!;
    const { statements } = line;
    const count = ({ sql }: { sql: string }): void => void statements.push(sql);
    const take = async (...records: [at: number, humidity: number][]) => {
      const message = { node, body: JSON.stringify(records.map(([at, v]) => ({ n: 'humidity', t: at / 1000, v }))), arrivedAt: Date.now() };
      statements.length = 0;
      house.database.on('query', count);
      try {
        return (await engine.work(() => takeIn(parts, [{ ...message, decoded: decode(message) }])))[0]!;
      } finally {
        house.database.off('query', count);
      }
    };
    return { made, point, engine, registry, take, statements, line, output: registry.points.get(made.points['humidifier']!)! };
  };

  it('readings that are newer than all that is known are one statement, with all that they decide; others go step by step', async () => {
    const { point, engine, take, statements, line } = await taking('at-once-1', 21);
    const at = Date.now() - 60_000;
    // The first also makes sure of the month and takes numbers ahead.
    expect(await take([at, 70])).toMatchObject({ stored: 1 });
    // Trips, clears and trips within one message: two alerts, the first over, each with its events.
    expect(await take([at + 1000, 50], [at + 2000, 70], [at + 3000, 40])).toMatchObject({ stored: 3, duplicates: 0 });
    expect(statements.filter((sql) => !/pg_advisory|nextval/.test(sql))).toHaveLength(1);
    const alerts = await house.database('alert').where({ point_id: point }).orderBy('id');
    expect(alerts.map((alert) => [alert.cleared_at !== null, alert.cleared_why !== null])).toEqual([
      [true, true],
      [false, false],
    ]);
    expect(engine.openAlerts().filter((alert) => alert.point === point)).toEqual([
      expect.objectContaining({ id: alerts[1].id, value: 40 }),
    ]);
    const events = await house
      .database('alert_event')
      .whereIn(
        'alert_id',
        alerts.map(({ id }) => id),
      )
      .orderBy('id');
    expect(events.map(({ alert_id: id, what }) => [id === alerts[0].id, what === 'tripped'])).toEqual([
      [true, true],
      [true, false],
      [false, true],
    ]);

    // One that was open clears, and the next opens, in one message: the schema allows only one at a time.
    expect(await take([at + 3100, 70], [at + 3200, 30])).toMatchObject({ stored: 2 });
    expect(statements.filter((sql) => !/pg_advisory|nextval/.test(sql))).toHaveLength(1);
    expect(await take([at + 3300, 70])).toMatchObject({ stored: 1 });
    expect(await take([at + 3400, 40])).toMatchObject({ stored: 1 });
    const open = await house.database('alert').where({ point_id: point }).whereNull('cleared_at');
    expect(open.map(({ value }) => value)).toEqual([40]);

    // Sent again, and something older: stored once, the older one counted, and neither decides again.
    expect(await take([at + 3400, 40])).toMatchObject({ stored: 0, duplicates: 1 });
    expect(await take([at + 500, 65])).toMatchObject({ stored: 1, duplicates: 0 });
    // Memory that knows less than the database (here: somebody wrote a reading besides) is told so by the database.
    await house.database.raw(`insert into reading (point_id, at, raw, value, quality, flags, reason) values (?, ?, 41, 41, 0, 0, 0)`, [
      point,
      new Date(at + 4000),
    ]);
    expect(await take([at + 4000, 41], [at + 5000, 42])).toMatchObject({ stored: 1, duplicates: 1 });
    // The answer is lost on the way: whoever sends again is told of a duplicate, and there is no second alert.
    line.losesAnswer = true;
    await expect(take([at + 6000, 70])).rejects.toThrow(/went away while it committed/);
    expect(await take([at + 6000, 70])).toMatchObject({ stored: 0, duplicates: 1 });
    expect(engine.openAlerts().filter((alert) => alert.point === point)).toEqual([]);
    expect(await house.database('alert').where({ point_id: point })).toHaveLength(4);
    expect(await house.database('alert').where({ point_id: point }).whereNull('cleared_at')).toHaveLength(0);
  });

  it('an output asked for anew ends the demand before it; one asked for and let go at once is one row that is over', async () => {
    const { engine, output } = await taking('at-once-2', 22);
    const now = Date.now();
    const ask = (by: string): Effect => ({
      kind: 'start-demand',
      demand: { output, source: 'hand', threshold: null, startedAt: now, endsAt: now + 60_000, by, reason: '' },
    });
    await engine.apply([ask('Ada')]);
    await engine.apply([ask('Ben')]);
    await engine.apply([ask('Cem'), ask('Dee')]);
    await engine.apply([ask('Eve'), { kind: 'end-demand', output, source: 'hand', threshold: null, at: now, why: 'off' }]);
    const rows = await house.database('demand').where({ point_id: output.id }).orderBy('id');
    expect(rows.map((row) => [row.by_whom, row.ended_why])).toEqual([
      ['Ada', 'asked anew'],
      ['Ben', 'asked anew'],
      ['Cem', 'asked anew'],
      ['Dee', 'asked anew'],
      ['Eve', 'off'],
    ]);
    expect(engine.state.demands.get(output.id)).toBeUndefined();
    // Each command lies in the outbox once, under the number it was sent with.
    const commands = await house.database('command').where({ point_id: output.id });
    const sent = await house.database('outbox').where({ kind: 'command' }).whereRaw(`body->>'node' = 'at-once-2'`);
    expect(sent.map((row) => row.body.command.id).sort()).toEqual(commands.map((row) => row.id).sort());
  });
});

it('the database goes away while an alert is open: the alert closes, the next one opens, somebody is told, the output goes on being known', async () => {
  const { key, points } = await house.node('steady-3');
  const node = await FakeNode.connect(house.server.mqttPort, 'steady-3', key, { retry: true });
  await node.say(70);
  const threshold = (
    await house.maker.post('/api/v1/thresholds', {
      side: 'low',
      setpoint: 60,
      deadband: 5,
      onDelaySeconds: 0,
      offDelaySeconds: 0,
      severity: 'critical',
      output: points['humidifier'],
      point: points['humidity'],
    })
  ).body.id as number;
  const trips = () => house.database('alert').where({ threshold_id: threshold }).orderBy('id');
  await node.say(50);
  await eventually(async () => (await trips()).length === 1, 'the first alert');
  await house.goAway();
  const during = node.say(51);
  await house.comeBack();
  await during;
  // It was answered, so it is there, and as a reading, not as a refusal.
  expect(node.refused).toEqual([]);
  await node.say(80);
  await eventually(async () => (await trips())[0]?.cleared_at !== null, 'the first alert closed');
  await node.say(45);
  await eventually(async () => (await trips()).length === 2, 'the second alert', 15_000);
  expect((await trips())[1].cleared_at).toBeNull();
  await eventually(() => house.handset.messages.filter((message) => message.severity === 'critical').length >= 2, 'both messages', 15_000);
  const by = await house.keeper.post(`/api/v1/relays/${points['humidifier']}/switch`, { on: true, seconds: 30, reason: '' });
  expect(by.status).toBe(200);
  const values = await house.database('reading').where({ point_id: points['humidity'] }).orderBy('at').select('value');
  expect(values.map((row) => row.value)).toEqual([70, 50, 51, 80, 45]);
  await node.end();
}, 60_000);

describe('a write that fails leaves a node as it was', () => {
  const nodeIn = async (name: string) => {
    const { body } = await house.maker.get('/api/v1/nodes');
    const known = body.find((one: { id: string }) => one.id === name);
    const row = await house.database('node').where({ name }).first('state', 'revision', 'report_seconds', 'key_sealed', 'have_revision');
    expect([known.state, known.revision, known.reportSeconds, known.keySealed, known.haveRevision]).toEqual([
      row.state,
      row.revision,
      row.report_seconds,
      row.key_sealed !== null,
      row.have_revision,
    ]);
    return known;
  };

  it.each(['node', 'node_log', 'outbox'])(
    'interval, key and run, with %s failing; and they work when it is back',
    async (table) => {
      const name = `steady-${table.replace('_', '-')}`;
      const { key } = await house.node(name);
      const node = await FakeNode.connect(house.server.mqttPort, name, key);
      await node.say(60);
      await eventually(
        async () =>
          (await house.maker.get('/api/v1/nodes')).body.some(
            (one: { id: string; state: string }) => one.id === name && one.state === 'proved',
          ),
        'proved',
      );
      const before = await nodeIn(name);
      await failures.now(table);
      expect((await house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: [name], reportSeconds: 30 })).status).toBe(500);
      expect(await nodeIn(name)).toEqual({ ...before, heardAt: expect.any(Number) });
      await failures.now(null);
      expect((await house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: [name], reportSeconds: 30 })).body).toEqual({ changed: 1 });
      expect(await nodeIn(name)).toMatchObject({ reportSeconds: 30, revision: before.revision + 1 });
      await node.end();
    },
    30_000,
  );

  it('a revision that no database can hold is refused, and memory does not keep it', async () => {
    const { key } = await house.node('steady-4');
    const node = await FakeNode.connect(house.server.mqttPort, 'steady-4', key);
    node.client.publish('dp/1/steady-4/have', JSON.stringify({ revision: 2 ** 31 }), { qos: 1 });
    await eventually(() => node.refused.some(({ why }) => /revision/.test(why)) || node.closed, 'an answer');
    await nodeIn('steady-4');
    await node.end();
  });
});

it('two runs of one node cannot run: the schema says so too', async () => {
  const { id } = await house
    .node('steady-5')
    .then(async () => (await house.database('node').where({ name: 'steady-5' }).first('id')) as { id: number });
  const run = { node_id: id, by_whom: 'x', firmware: 'f', way: 'serial' };
  await house.database('provision_run').insert(run);
  await expect(house.database('provision_run').insert(run)).rejects.toThrow(/provision_run_running/);
});

describe('time', () => {
  it('the clock is set an hour forward and ten minutes back: nothing trips, nobody is silent, a hand’s time goes on from where it was', async () => {
    const made = await house.node('steady-6');
    await house.database('node').where({ name: 'steady-6' }).update({ state: 'proved', heard_at: new Date() });
    await house.maker.post('/api/v1/thresholds', {
      side: 'low',
      setpoint: 60,
      deadband: 5,
      onDelaySeconds: 600,
      offDelaySeconds: 0,
      severity: 'warning',
      output: null,
      point: made.points['humidity'],
    });
    const { engine, registry, parts, time, tick } = await anEngine(9);
    const node = registry.nodes.get('steady-6')!;
    const output = registry.points.get(made.points['humidifier']!)!;
    const say = (humidity: number): Promise<unknown> => {
      const message = { node, body: JSON.stringify([{ n: 'humidity', v: humidity }]), arrivedAt: time.wall };
      return engine.work(() => takeIn(parts, [{ ...message, decoded: decode(message) }]));
    };
    await tick(1000);
    node.heardAt = time.wall;
    await say(50);
    await engine.apply([
      {
        kind: 'start-demand',
        demand: { output, source: 'hand', threshold: null, startedAt: time.wall, endsAt: time.wall + 60_000, by: 'x', reason: '' },
      },
    ]);
    await tick(1000);
    for (const step of [3_600_000, -600_000]) {
      // A reading is the first to come after it, before anybody has looked at the time.
      time.wall += step + 1000;
      time.steady += 1000;
      await say(50);
      expect(engine.clockSet).toEqual({ at: time.wall, byMs: step });
      expect(engine.state.newest.get(made.points['humidity']!)?.at).toBe(time.wall);
      await tick(1000);
      await say(50);
      expect(engine.state.newest.get(made.points['humidity']!)?.at).toBe(time.wall);
      await tick(1000);
      expect(await house.database('alert').where({ node_id: node.id })).toEqual([]);
      expect(engine.state.demands.get(output.id)).toHaveLength(1);
    }
    // Whoever reads the node's log later finds why times in it jump.
    const noted = await house.database('node_log').where({ node_id: node.id }).whereLike('body', 'the clock of the house%').orderBy('id');
    expect(noted.map(({ body }) => body.slice(0, 48))).toEqual([
      'the clock of the house was set forward by 60 min',
      'the clock of the house was set back by 10 min: d',
    ]);
    // Readings without a time get the time of their arrival, not a crowd behind the last one of before.
    const times = (await house
      .database('reading')
      .where({ point_id: made.points['humidity'] })
      .orderBy('at', 'desc')
      .limit(1)
      .select('at')) as {
      at: Date;
    }[];
    expect(times[0]!.at.getTime()).toBeGreaterThan(time.wall - 3_600_000);
    // The hand's minute ends a minute after it began, by a clock that nobody sets.
    await tick(60_000);
    expect(engine.state.demands.get(output.id)).toBeUndefined();
    expect(await house.database('demand').where({ point_id: output.id }).whereNull('ended_at')).toEqual([]);
  });

  it('a clock that is set while the database is away is made up for when it is back', async () => {
    await house.node('steady-9');
    const { engine, time, tick } = await anEngine(11);
    await tick(1000);
    await failures.now('demand');
    await expect(tick(1000, 3_600_000)).rejects.toThrow(/disk under demand/);
    expect(engine.clockSet).toBeNull();
    await failures.now(null);
    await tick(1000);
    expect(engine.clockSet).toEqual({ at: time.wall, byMs: 3_600_000 });
    await tick(1000);
    expect(engine.clockSet!.at).toBe(time.wall - 1000);
  });

  it('an off that nobody answers goes out again until its lease is over; one that was answered, or a node that is away, is left alone', async () => {
    const made = await house.node('steady-10');
    await house.database('node').where({ name: 'steady-10' }).update({ state: 'proved', heard_at: new Date() });
    const { engine, registry, time, tick } = await anEngine(12);
    const node = registry.nodes.get('steady-10')!;
    const output = registry.points.get(made.points['humidifier']!)!;
    const lease = output.body.output!.leaseSeconds;
    node.connected = true;
    // Nobody else: the time of this test runs ahead of theirs.
    for (const name of registry.nodes.keys()) if (name !== 'steady-10') registry.nodes.delete(name);
    const pass = (ms: number): Promise<void> => {
      node.heardAt = time.wall + ms;
      return tick(ms);
    };
    const offs = () => house.database('command').where({ point_id: output.id, value: false });
    const off = (): Promise<void> => engine.apply([{ kind: 'command', output, on: false, reason: 'hand', at: time.wall }]);
    await pass(0);
    await off();
    await pass(4000);
    expect(await offs()).toHaveLength(1);
    await pass(1500);
    expect(await offs()).toHaveLength(2);
    node.connected = false;
    await pass(6000);
    expect(await offs()).toHaveLength(2);
    node.connected = true;
    for (let s = 0; s < lease + 30; s++) await pass(1000);
    expect((await offs()).length).toBeLessThanOrEqual(lease / 5 + 1);
    // Told anew by a hand it goes out as often as its lease is long; then it is answered.
    const before = (await offs()).length;
    await off();
    for (let s = 0; s < lease + 30; s++) await pass(1000);
    const sent = (await offs()).length;
    expect(sent - before).toBe(Math.ceil(lease / 5));
    await off();
    await engine.readBack(node, {
      id: engine.state.commands.get(output.id)!.id,
      point: 'humidifier',
      result: 'done',
      reason: 'hand',
      state: false,
      readBack: 'contact',
    });
    for (let s = 0; s < 20; s++) await pass(1000);
    expect(await offs()).toHaveLength(sent + 1);
    // A hand that says off again, long after that answer, is heard as surely as the first.
    await off();
    await pass(6000);
    expect(await offs()).toHaveLength(sent + 3);
  });

  it('while the server did not listen nobody was silent', async () => {
    await house.node('steady-7');
    await house.database('node').where({ name: 'steady-7' }).update({ state: 'proved', heard_at: new Date() });
    const { engine, registry, time, tick } = await anEngine(10);
    const node = registry.nodes.get('steady-7')!;
    await tick(0);
    node.heardAt = time.wall;
    // The database was paused for half a minute: no look in all that time.
    await tick(30_000);
    expect(node.silent).toBe(false);
    await tick(1000);
    await tick(1000);
    expect(node.silent).toBe(false);
    // It answers time and again, but what nodes say cannot be stored.
    for (let i = 0; i < 20; i++) {
      engine.couldNotListen();
      await tick(1000);
    }
    expect(node.silent).toBe(false);
    for (let i = 0; i < 6; i++) await tick(1000);
    expect(node.silent).toBe(true);
  });

  it('off is never too old, on is', () => {
    const command = { notAfter: 1000 };
    expect(isExpired({ ...command, value: true }, 1001)).toBe(true);
    expect(isExpired({ ...command, value: true }, 1000)).toBe(false);
    expect(isExpired({ ...command, value: false }, 10_000_000)).toBe(false);
  });

  it('a node that sleeps is silent after two missed signs of life, one that protects after two hours, a quick one after three reports', () => {
    const node = (reportSeconds: number, isProtective = false): NodeEntry =>
      ({ reportSeconds, points: new Map([['p', { body: { protective: isProtective } }]]) }) as unknown as NodeEntry;
    expect(silentAfterMs(node(10))).toBe(30_000);
    expect(silentAfterMs(node(1))).toBe(5000);
    expect(silentAfterMs(node(86_400)) / 3_600_000).toBeCloseTo(50.4);
    expect(silentAfterMs(node(86_400, true)) / 3_600_000).toBeCloseTo(2.1);
    expect(silentAfterMs(node(3600)) / 3_600_000).toBeCloseTo(2.1);
  });
});

it('the database away: ready says no within three seconds, pages are told so with a time to come again, and both are well when it is back', async () => {
  await house.goAway();
  try {
    const ready = await fetch(`${house.server.url}/readyz`);
    expect([ready.status, (await ready.json()) as object]).toEqual([503, expect.objectContaining({ ok: false, database: 'down' })]);
    const door = await fetch(`${house.server.url}/api/v1/door`);
    expect([door.status, door.headers.get('retry-after')]).toEqual([503, '5']);
  } finally {
    await house.comeBack();
  }
  await eventually(async () => (await fetch(`${house.server.url}/readyz`)).status === 200, 'ready again', 15_000);
  expect((await fetch(`${house.server.url}/api/v1/door`)).status).toBe(200);
}, 40_000);

it('old lines go, new ones and what is still to be sent stay', async () => {
  await house.node('steady-8');
  const { id } = (await house.database('node').where({ name: 'steady-8' }).first('id')) as { id: number };
  await house
    .database('node_log')
    .insert(Array.from({ length: KEPT.logLines + 20 }, (_, i) => ({ node_id: id, level: 'info', body: `line ${i}` })));
  const old = new Date(Date.now() - (KEPT.outboxDays + 1) * 86_400_000);
  const waiting = { kind: 'message', body: '{}', created_at: old, next_try_at: new Date(Date.now() + 3_600_000) };
  const [gone, stays] = (await house
    .database('outbox')
    .insert([{ ...waiting, done_at: old }, waiting])
    .returning('id')) as { id: number }[];
  await tidy(house.database);
  const lines = (await house.database('node_log').where({ node_id: id }).orderBy('id').select('body')) as { body: string }[];
  expect([lines.length, lines.at(-1)!.body]).toEqual([KEPT.logLines, `line ${KEPT.logLines + 19}`]);
  expect(await house.database('outbox').whereIn('id', [gone!.id, stays!.id]).select('id')).toEqual([{ id: stays!.id }]);
});
