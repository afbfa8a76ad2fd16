import { eventually, FakeNode, openHouse, pause, type Body, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
afterAll(() => house?.close());

const alerts = async (node: string): Promise<Body[]> =>
  (await house.maker.get('/api/v1/alerts?state=all')).body.filter((a: { node: string }) => a.node === node);
const relay = async (point: number): Promise<Body> =>
  (await house.maker.get('/api/v1/relays')).body.find((r: { point: number }) => r.point === point);
const arm = async (point: number, rule: object = {}): Promise<Body> => {
  const { status, body } = await house.maker.post('/api/v1/thresholds', {
    point,
    side: 'low',
    setpoint: 60,
    deadband: 5,
    onDelaySeconds: 1,
    offDelaySeconds: 0,
    severity: 'warning',
    confirm: 'readings',
    output: null,
    ...rule,
  });
  expect([status, body.detail]).toEqual([200, undefined]);
  return body;
};
const keyOf = new Map<string, string>();
async function room(id: string, options: { obeys?: boolean } = {}) {
  const made = await house.node(id);
  keyOf.set(id, made.key);
  const node = await FakeNode.connect(house.server.mqttPort, id, made.key, options);
  await node.say(62); // near enough to what follows that no jump looks like a spike
  return { node, points: made.points as { temperature: number; humidity: number; humidifier: number } };
}
/** Says a humidity once a second or so of measurement time, in real time, until told to stop. */
function keepSaying(node: FakeNode, value: () => number): () => void {
  const timer = setInterval(() => void node.say(value()).catch(() => undefined), 250);
  return () => clearInterval(timer);
}

it('trips, tells the handset, switches with a lease, renews, clears and goes off', async () => {
  const { node, points } = await room('eng-1');
  await arm(points.humidity, { output: points.humidifier });
  let humidity = 50;
  const stop = keepSaying(node, () => humidity);
  const alert = await eventually(async () => (await alerts('eng-1'))[0], 'an alert');
  expect(alert).toMatchObject({ kind: 'threshold', severity: 'warning', value: 50, clearedAt: null, earlier: false });
  await eventually(() => node.commands.length >= 1, 'a command');
  expect(node.commands[0]).toMatchObject({ point: 'humidifier', value: true, leaseSeconds: 10, reason: 'threshold' });
  expect(node.commands[0]!.notAfter - node.commands[0]!.issued).toBe(10_000);
  await eventually(() => house.handset.messages.some((m) => m.title === 'Humidity too low'), 'a message');
  await eventually(async () => (await relay(points.humidifier)).state === true, 'the state read back');
  // Renewed at every third of the lease while the reading behind it is fresh and good.
  await eventually(() => node.commands.filter((c) => c.value).length >= 2, 'a renewal');
  humidity = 70;
  await eventually(() => node.commands.at(-1)?.value === false, 'off');
  await eventually(async () => (await alerts('eng-1'))[0]?.clearedAt, 'cleared');
  expect(await alerts('eng-1')).toHaveLength(1);
  const acknowledged = await house.keeper.call('POST', `/api/v1/alerts/${alert.id}/acknowledge`, {});
  expect(acknowledged.body).toMatchObject({ acknowledgedBy: 'baker' });
  expect(new Set(node.commands.map((c) => c.id)).size).toBe(node.commands.length);
  stop();
  await node.end();
});

it('a sensor lost under a running output: told to go off, and an alert of its own', async () => {
  const { node, points } = await room('eng-2');
  await arm(points.humidity, { output: points.humidifier, onDelaySeconds: 0 });
  await node.say(40);
  await eventually(() => node.commands.some((c) => c.value), 'on');
  // Only the temperature goes on: the humidity sensor has died.
  const timer = setInterval(() => void node.up([{ n: 'temperature', t: Date.now() / 1000, v: 25 }]).catch(() => undefined), 300);
  await eventually(() => node.commands.some((c) => !c.value && c.reason === 'sensor-lost'), 'off for a lost sensor');
  const kinds = (await alerts('eng-2')).filter((a) => a.clearedAt === null).map((a) => a.kind);
  expect(kinds.sort()).toEqual(['sensor-lost', 'threshold']);
  // Bad readings are no readings: still lost.
  await node.up([{ n: 'humidity', t: Date.now() / 1000, v: 320 }]);
  await pause(300);
  expect(node.commands.at(-1)?.value).toBe(false);
  await node.say(41);
  await eventually(() => node.commands.at(-1)?.value === true, 'on again');
  await eventually(async () => (await alerts('eng-2')).some((a) => a.kind === 'sensor-lost' && a.clearedAt), 'the sensor is back');
  clearInterval(timer);
  await node.end();
});

it('readings that come too late write the alert as happened earlier, tell it once and command nothing', async () => {
  const { node, points } = await room('eng-3');
  await arm(points.humidity, { output: points.humidifier, onDelaySeconds: 2, setpoint: 45 });
  const made = await house.node('eng-3b');
  const late = await FakeNode.connect(house.server.mqttPort, 'eng-3b', made.key);
  const hour = Math.floor(Date.now() / 1000) * 1000 - 3_600_000;
  await late.up([{ n: 'humidity', t: (hour - 60_000) / 1000, v: 75 }]);
  await arm(made.points['humidity']!, { output: made.points['humidifier']!, onDelaySeconds: 2 });
  await late.up([0, 1, 2, 3].map((i) => ({ n: 'humidity', t: hour / 1000 + i, v: 50 })));
  const [alert] = await eventually(async () => {
    const found = await alerts('eng-3b');
    return found.length > 0 ? found : null;
  }, 'the alert');
  expect(alert).toMatchObject({ earlier: true, trippedAt: hour + 2000 });
  await eventually(
    () => house.handset.messages.some((m) => m.title === 'One alert happened earlier' && m.severity === 'note'),
    'the summary',
  );
  await pause(500);
  expect(late.commands).toEqual([]);
  await Promise.all([node.end(), late.end()]);
});

it('by hand: asks for an end, obeys the limit, ends by itself, and off by hand ends a threshold’s demand too', async () => {
  const { node, points } = await room('eng-4');
  const by = `/api/v1/relays/${points.humidifier}/switch`;
  expect((await house.keeper.post(by, { on: true, reason: 'test' })).status).toBe(422);
  const tooLong = await house.keeper.post(by, { on: true, seconds: 500, reason: 'test' });
  expect([tooLong.status, tooLong.body.detail]).toEqual([422, expect.stringContaining('at most 120 s')]);
  const { body } = await house.keeper.post(by, { on: true, seconds: 1, reason: 'steam for the second bake' });
  expect(body).toMatchObject({ askedFor: 'hand', askedBy: 'baker' });
  await eventually(() => node.commands.some((c) => c.value && c.reason === 'hand'), 'on');
  await eventually(() => node.commands.at(-1)?.value === false, 'off by itself');

  await arm(points.humidity, { output: points.humidifier, onDelaySeconds: 0 });
  await node.say(40);
  await eventually(() => node.commands.at(-1)?.value === true, 'on by threshold');
  await house.keeper.post(by, { on: false, reason: 'cleaning it' });
  await eventually(() => node.commands.at(-1)?.value === false && node.commands.at(-1)?.reason === 'hand', 'off by hand');
  await node.say(39);
  await pause(600);
  expect(node.commands.at(-1)?.value).toBe(false);
  await node.end();
});

it('the states of a lost node are unknown, its silence is an alert, and nothing is queued for it', async () => {
  const { node, points } = await room('eng-5');
  await house.keeper.post(`/api/v1/relays/${points.humidifier}/switch`, { on: true, seconds: 60, reason: '' });
  await eventually(async () => (await relay(points.humidifier)).state === true, 'on');
  node.client.stream.destroy();
  await eventually(async () => (await relay(points.humidifier)).state === null, 'unknown');
  const silent = await eventually(async () => (await alerts('eng-5')).find((a) => a.kind === 'silent'), 'silence');
  expect(silent.text).toMatch(/reports every 1 s/);
  const commanded = node.commands.length;
  const again = await FakeNode.connect(house.server.mqttPort, 'eng-5', keyOf.get('eng-5')!, { hello: false });
  await pause(200);
  // The demand by hand still stands and is told anew; nothing that was meant for the lost link comes with it.
  expect(again.commands.length).toBeLessThanOrEqual(1);
  expect(again.commands.every((c) => c.issued > silent.trippedAt)).toBe(true);
  expect(node.commands).toHaveLength(commanded);
  await again.end();
});

it('a contact that reads on after off was commanded is critical', async () => {
  const { node, points } = await room('eng-6', { obeys: false });
  await house.keeper.post(`/api/v1/relays/${points.humidifier}/switch`, { on: true, seconds: 60, reason: '' });
  const on = await eventually(() => node.commands.at(-1), 'on');
  node.done({ id: on.id, point: 'humidifier', result: 'done', reason: 'demand', state: true, readBack: 'contact' });
  await house.keeper.post(`/api/v1/relays/${points.humidifier}/switch`, { on: false, reason: '' });
  const off = await eventually(() => (node.commands.at(-1)?.value === false ? node.commands.at(-1) : null), 'off');
  node.done({ id: off.id, point: 'humidifier', result: 'done', reason: 'off-by-hand', state: true, readBack: 'contact' });
  await eventually(
    async () => (await alerts('eng-6')).find((a) => a.kind === 'output-stuck' && a.severity === 'critical'),
    'the welded contact',
  );
  await node.end();
});

it('a changed threshold closes its open alert and starts from normal; a retired one is gone', async () => {
  const { node, points } = await room('eng-7');
  const threshold = await arm(points.humidity, { onDelaySeconds: 0, output: points.humidifier });
  await node.say(40);
  await eventually(async () => (await alerts('eng-7')).length === 1, 'the alert');
  const { id: _, point: __, version: ___, clearLevel: ____, phase: _____, ...rule } = threshold;
  expect((await house.maker.call('PUT', `/api/v1/thresholds/${threshold.id}`, { ...rule, setpoint: 30, from: 1 })).body).toMatchObject({
    version: 2,
    clearLevel: 35,
    phase: 'normal',
  });
  expect((await alerts('eng-7'))[0]).toMatchObject({ clearedWhy: 'threshold changed' });
  await eventually(() => node.commands.at(-1)?.value === false, 'off');
  expect((await house.maker.call('DELETE', `/api/v1/thresholds/${threshold.id}`)).status).toBe(200);
  expect((await house.maker.call('DELETE', `/api/v1/thresholds/${threshold.id}`)).status).toBe(404);
  expect(await house.database('threshold_version').where({ threshold_id: threshold.id })).toHaveLength(2);
  const wrong = await house.maker.post('/api/v1/thresholds', { ...rule, point: points.humidity, setpoint: 99, deadband: 3 });
  expect([wrong.status, wrong.body.detail]).toEqual([422, expect.stringMatching(/clears at 102 %/)]);
  await node.end();
});

it('a handset that is off gets its message later, once, under the same id', async () => {
  const { node, points } = await room('eng-8');
  house.handset.off = true;
  await arm(points.temperature, { side: 'high', setpoint: 30, deadband: 1, onDelaySeconds: 0, severity: 'critical' });
  await node.up([{ n: 'temperature', t: Date.now() / 1000, v: 31 }]);
  const waiting = await eventually(
    async () =>
      (await house.keeper.get('/api/v1/deliveries')).body.find(
        (d: Body) => d.message.title === 'Air temperature too high' && d.attempts >= 1,
      ),
    'a failed try',
  );
  expect(waiting).toMatchObject({ state: 'waiting', error: 'the handset answered 503' });
  house.handset.off = false;
  await eventually(() => house.handset.messages.filter((m) => m.id === waiting.id).length === 1, 'the message');
  await pause(1500);
  expect(house.handset.messages.filter((m) => m.id === waiting.id)).toHaveLength(1);
  await node.end();
});

it('a node that has not been proved trips nothing, and two nodes cannot have one id', async () => {
  const made = await house.node('eng-9');
  await arm(made.points['humidity']!, { onDelaySeconds: 0 });
  const node = await FakeNode.connect(house.server.mqttPort, 'eng-9', made.key);
  await node.up([{ n: 'humidity', t: Date.now() / 1000, v: 320 }]);
  await pause(300);
  expect(await alerts('eng-9')).toEqual([]);
  expect((await house.maker.post('/api/v1/nodes', { id: 'eng-9', room: 'Cellar', buildSheet: 'climate-post' })).status).toBe(409);
  await node.end();
});
