import { topicOf } from '@dewpost/core/wire';
import mqtt from 'mqtt';
import { eventually, FakeNode, logged, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
afterAll(() => house?.close());

const nodeOf = async (id: string): Promise<Body> => (await house.maker.get('/api/v1/nodes')).body.find((one: Body) => one.id === id);
const latest = async (id: string, point: string): Promise<number | undefined> =>
  (await house.maker.get(`/api/v1/points/${id}/${point}/readings`)).body.readings.at(-1)?.[1];
const put = (id: string, gateway: string | null) => house.maker.call('PUT', `/api/v1/nodes/${id}/gateway`, { gateway });

describe('a gateway and its leaves', () => {
  it('one credential set is made once and written to all; the gateway is told its leaves’ keys, and publishes for them and nobody else', async () => {
    // Only measuring: what switches cannot be a leaf.
    const draft = {
      board: 'wifi-dual-bare',
      supply: 'aa-lithium-2',
      reportSeconds: 60,
      eventsPerDay: 4,
      outdoors: false,
      cableMetres: 0.5,
      parts: [{ ref: 'gate', part: 'reed-open' }],
      fixed: {},
      dividers: {},
    };
    await house.maker.post('/api/v1/build-sheets', { name: 'Gate', draft, base: null });
    for (const id of ['weir-gate', 'weir-other', 'weir-gateway'])
      await house.maker.post('/api/v1/nodes', { id, room: 'Weir hut', buildSheet: 'Gate' });
    const { key } = await house.node('far-gateway', 'Weir hut');
    expect((await put('weir-gate', 'far-gateway')).status).toBe(200);
    expect((await put('weir-other', 'weir-gate')).status).toBe(422);
    expect((await put('far-gateway', 'weir-gateway')).body.detail).toMatch(/is a gateway of others/);
    const { id: switching } = await house.node('switching');
    expect((await put(switching, 'far-gateway')).body.detail).toMatch(/takes no commands/);

    const leafRun = (await house.maker.post('/api/v1/provision/runs', { node: 'weir-gate' })).body.configuration;
    const gatewayRun = (await house.maker.post('/api/v1/provision/runs', { node: 'far-gateway' })).body.configuration;
    expect(leafRun.networks).toEqual([{ name: gatewayRun.accessPoint.name, passphrase: gatewayRun.accessPoint.passphrase }]);
    expect(leafRun.via).toMatchObject({ port: gatewayRun.accessPoint.port, burst: { count: 3 } });

    const sets: Body[] = [];
    const link = await mqtt.connectAsync({
      host: '127.0.0.1',
      port: house.server.mqttPort,
      protocolVersion: 4,
      clientId: 'far-gateway',
      username: 'far-gateway',
      password: key,
    });
    link.on('message', (_topic, payload) => sets.push(JSON.parse(payload.toString())));
    await link.subscribeAsync(topicOf('far-gateway', 'set'), { qos: 1 });
    await eventually(() => sets.some((set) => set.leaves), 'its leaves');
    expect(sets.at(-1).leaves).toEqual([{ node: 'weir-gate', key: leafRun.key }]);

    await link.publishAsync(topicOf('weir-gate', 'up'), '[{"n":"open","v":1}]', { qos: 1 });
    await link.publishAsync(topicOf('weir-other', 'up'), '[{"n":"open","v":1}]', { qos: 1 });
    await link.publishAsync(topicOf('weir-gate', 'done'), '{}', { qos: 1 });
    await eventually(async () => (await latest('weir-gate', 'open')) === 1, 'the leaf’s reading');
    expect(await latest('weir-other', 'open')).toBeUndefined();
    await logged(house.maker, 'far-gateway', /may not publish to dp\/1\/weir-other\/up/);
    await logged(house.maker, 'far-gateway', /may not publish to dp\/1\/weir-gate\/done/);
    // A leaf's key stays sealed for life, and is in nobody else's hands.
    expect((await nodeOf('weir-gate')).keySealed).toBe(true);
    expect(JSON.stringify((await house.maker.get('/api/v1/nodes/far-gateway/configuration')).body)).not.toContain(
      gatewayRun.accessPoint.passphrase,
    );

    await put('weir-gate', null);
    await eventually(() => sets.at(-1).leaves === undefined, 'it has none any more');
    await link.publishAsync(topicOf('weir-gate', 'up'), '[{"n":"open","v":0}]', { qos: 1 });
    expect(await latest('weir-gate', 'open')).toBe(1);
    await link.endAsync(true);
  });

  it('sends as the plan says for all leaves, unless it has a way of its own; who follows the plan is to be written again', async () => {
    expect((await house.keeper.get('/api/v1/leaf-burst')).body).toEqual({ count: 3, spacingMs: 20 });
    const wish = (body: object) => house.maker.call('PUT', '/api/v1/leaf-burst', body);
    expect((await house.keeper.call('PUT', '/api/v1/leaf-burst', { count: 5, spacingMs: 200 })).status).toBe(403);
    expect((await wish({ count: 0, spacingMs: 200 })).body.errors[0]).toMatchObject({ message: 'one copy at least' });
    const revision = async (): Promise<number> =>
      (await house.maker.get('/api/v1/nodes')).body.find((one: Body) => one.id === 'weir-gate').revision;
    await put('weir-gate', 'far-gateway');
    const before = await revision();
    expect((await wish({ count: 5, spacingMs: 200 })).body).toEqual({ leaves: ['weir-gate'] });
    expect(await revision()).toBe(before + 1);
    const burst = async (): Promise<object> =>
      (await house.maker.get('/api/v1/nodes/weir-gate/configuration')).body.configuration.via.burst;
    expect(await burst()).toEqual({ count: 5, spacingMs: 200 });
    await house.maker.call('PUT', '/api/v1/nodes/weir-gate/gateway', { gateway: 'far-gateway', burst: { count: 2, spacingMs: 50 } });
    expect([await burst(), (await wish({ count: 4, spacingMs: 100 })).body]).toEqual([{ count: 2, spacingMs: 50 }, { leaves: [] }]);
    await house.maker.call('PUT', '/api/v1/nodes/weir-gate/gateway', { gateway: 'far-gateway', burst: null });
    expect(await burst()).toEqual({ count: 4, spacingMs: 100 });
    await put('weir-gate', null);
  });
  it('no other node may speak for it', async () => {
    const { key } = await house.node('stranger');
    const node = await FakeNode.connect(house.server.mqttPort, 'stranger', key);
    await node.client.publishAsync(topicOf('weir-gate', 'up'), '[{"n":"open","v":0}]', { qos: 1 });
    expect(await latest('weir-gate', 'open')).toBe(1);
    await node.end();
  });
});
