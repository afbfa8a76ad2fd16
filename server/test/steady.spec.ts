import { KEPT, tidy } from '../src/compose/housekeeping';
import { Failures } from './failures';
import { eventually, FakeNode, openHouse, type House } from './house';

let house: House;
let failures: Failures;
beforeAll(async () => {
  house = await openHouse();
  failures = await Failures.on(house.database);
});
afterAll(() => house.close());
afterEach(() => failures.now(null));

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
  await eventually(async () => (await trips()).length === 2, 'the second alert');
  expect((await trips())[1].cleared_at).toBeNull();
  await eventually(() => house.handset.messages.filter((message) => message.severity === 'critical').length >= 2, 'both messages');
  const by = await house.keeper.post(`/api/v1/relays/${points['humidifier']}/switch`, { on: true, seconds: 30, reason: '' });
  expect(by.status).toBe(200);
  const values = await house.database('reading').where({ point_id: points['humidity'] }).orderBy('at').select('value');
  expect(values.map((row) => row.value)).toEqual([70, 50, 51, 80, 45]);
  await node.end();
});

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

  it.each(['node', 'node_log', 'outbox'])('interval, key and run, with %s failing; and they work when it is back', async (table) => {
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
  });

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
  await eventually(async () => (await fetch(`${house.server.url}/readyz`)).status === 200, 'ready again');
  expect((await fetch(`${house.server.url}/api/v1/door`)).status).toBe(200);
});

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
