import { topicOf } from '@dewpost/core/wire';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let node: FakeNode;
let mute: FakeNode;
let points: Record<string, number>;
beforeAll(async () => {
  house = await openHouse();
  const made = await house.node('floor-1', 'Mill floor');
  points = made.points;
  node = await FakeNode.connect(house.server.mqttPort, 'floor-1', made.key, { obeys: false });
  const other = await house.node('mute-1', 'Mill floor');
  mute = await FakeNode.connect(house.server.mqttPort, 'mute-1', other.key);
  await house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: ['floor-1', 'mute-1'], reportSeconds: 60 });
  node.client.on('message', (_topic, payload) => {
    const order = JSON.parse(payload.toString()) as Body;
    if (order.hush !== undefined) hushed.push(order.hush);
    if (order.say === undefined) return;
    heard.push(order);
    if (answer !== null) send('done', { id: order.id, ...answer });
  });
});
afterAll(async () => {
  await node?.end();
  await mute?.end();
  await house?.close();
});

const heard: Body[] = [];
const hushed: string[] = [];
let answer: { said: boolean; why?: string } | null = { said: true };
const send = (channel: 'done' | 'hello', body: object): void =>
  void node.client.publish(topicOf('floor-1', channel), JSON.stringify(body), { qos: 1 });
const add = (name: string) => house.maker.post('/api/v1/ways', { kind: 'node', name: 'Mill floor', node: name, least: 'warning' });
let way: number;

describe('a node that speaks', () => {
  it('is a way once it has said in its hello that it can; nobody else is one', async () => {
    for (const name of ['floor-1', 'mute-1']) {
      const { status, body } = await add(name);
      expect([status, body.errors[0].path]).toEqual([422, 'body.node']);
    }
    expect((await add('nobody-1')).status).toBe(404);
    const hello = { firmware: 'dewnode 1.0.0', resetReason: 'power-up', points: ['temperature', 'humidity'] };
    send('hello', { ...hello, says: ['sound', 'text'] });
    const said = async () => (await house.maker.get('/api/v1/nodes')).body.find(({ id }: Body) => id === 'floor-1').says;
    await eventually(async () => (await said()).length === 2, 'its hello');
    const { status, body } = await add('floor-1');
    expect([status, body.kind, body.to, body.secret]).toEqual([200, 'node', 'floor-1', null]);
    way = body.id;
    expect((await house.keeper.post('/api/v1/ways', { kind: 'node', name: 'x', node: 'floor-1' })).status).toBe(403);
  });

  it('says what trips, the graver the longer, and is proved by its own answer', async () => {
    const arm = (setpoint: number, severity: string) =>
      house.maker.post('/api/v1/thresholds', {
        ...{ point: points['temperature'], side: 'high', setpoint, deadband: 1, onDelaySeconds: 0, offDelaySeconds: 0 },
        ...{ severity, output: null },
      });
    for (const [setpoint, severity] of [
      [30, 'advisory'],
      [31, 'warning'],
      [32, 'critical'],
    ] as const)
      await arm(setpoint, severity);
    await node.up({ temperature: 40 });
    await eventually(() => heard.length === 2, 'the warning and the critical one');
    const [warning, critical] = [...heard].sort((a, b) => a.seconds - b.seconds);
    expect(warning).toMatchObject({ severity: 'warning', seconds: 20, pattern: [500, 500] });
    expect(critical).toMatchObject({ severity: 'critical', seconds: 60, pattern: [800, 200] });
    expect(critical.say).toMatch(/^Air temperature too high\. At or above /);
    expect(critical.say.length).toBeLessThanOrEqual(200);
    const state = async () => (await house.maker.get('/api/v1/ways')).body.find(({ id }: Body) => id === way);
    await eventually(async () => (await state()).provedAt !== null, 'it to be proved');
  });

  it('is hushed once somebody has acknowledged it: what it says of that alert, and of no other', async () => {
    const alerts: Body[] = (await house.maker.get('/api/v1/alerts')).body;
    const warning = alerts.find(({ severity, clearedAt }) => severity === 'warning' && clearedAt === null);
    const said = heard.find(({ severity }) => severity === 'warning')!;
    await house.keeper.post(`/api/v1/alerts/${warning.id}/acknowledge`, {});
    await eventually(() => hushed.length === 1, 'the hush');
    // Once more changes nothing.
    await house.keeper.post(`/api/v1/alerts/${warning.id}/acknowledge`, {});
    expect(hushed).toEqual([said.id]);
  });

  it('a test says why it could not: it refused, it is not connected; an answer to something else proves nothing', async () => {
    const test = async () => (await house.maker.post(`/api/v1/ways/${way}/test`, {})).body;
    expect(await test()).toMatchObject({ delivered: true, detail: 'delivered to floor-1' });
    answer = { said: false, why: 'an image is being written' };
    expect(await test()).toMatchObject({ delivered: false, detail: 'floor-1: an image is being written' });
    // What another node, or another id, says is not its answer.
    answer = null;
    const asked = test();
    const before = heard.length;
    await eventually(() => heard.length > before, 'the order');
    mute.client.publish(topicOf('mute-1', 'done'), JSON.stringify({ id: heard.at(-1)!.id, said: true }), { qos: 1 });
    send('done', { id: 'something-else', said: true });
    await node.end();
    expect(await asked).toMatchObject({ delivered: false });
    expect(await test()).toMatchObject({ delivered: false, detail: 'floor-1: it is not connected' });
  });

  it('is enough inside the building for critical alerts where there is one', async () => {
    const { version, plan } = (await house.maker.get('/api/v1/routes')).body;
    const course = (to: unknown[]) => ({ courses: [{ afterMinutes: 0, to, everyMinutes: null }], quiet: 'tell', allClear: 'never' });
    const lay = (to: unknown[]) =>
      house.maker.call('PUT', '/api/v1/routes', { from: version, plan: { ...plan, routes: { ...plan.routes, critical: course(to) } } });
    const hook = (await house.maker.post('/api/v1/ways', { kind: 'webhook', name: 'Far', url: 'https://example.org/hook' })).body.id;
    expect((await lay([hook])).status).toBe(422);
    expect((await lay([hook, way])).status).toBe(200);
  });
});
