import mqtt from 'mqtt';
import { connect, type Socket } from 'node:net';
import { eventually, FakeNode, logged, openHouse, pause, type House } from './house';

let house: House;
let one: { id: string; key: string };
let two: { id: string; key: string };
beforeAll(async () => {
  house = await openHouse();
  one = await house.node('post-1');
  two = await house.node('post-2');
});
afterAll(() => house?.close());

const tcp = (): Promise<Socket> =>
  new Promise((resolve) => {
    const socket = connect(house.server.mqttPort, '127.0.0.1', () => resolve(socket));
  });
const closes = (socket: Socket): Promise<true> =>
  new Promise((resolve) => {
    socket.on('error', () => undefined);
    socket.on('close', () => resolve(true));
  });
/** An MQTT 3.1.1 fixed header (§2.2): type, then the length in groups of seven bits. */
const header = (type: number, length: number): Buffer => {
  const bytes = [type];
  do {
    bytes.push((length % 128) | (length >= 128 ? 0x80 : 0));
    length = Math.floor(length / 128);
  } while (length > 0);
  return Buffer.from(bytes);
};

describe('who may connect', () => {
  it.each([
    ['an unknown node', 'nobody', 'x', 'nobody'],
    ['a wrong key', 'post-1', 'wrong', 'post-1'],
  ])('not %s', async (_, name, key, clientId) => {
    await expect(FakeNode.connect(house.server.mqttPort, name, key, { clientId })).rejects.toThrow(/[Bb]ad user|[Nn]ot authorized/);
  });
  it('not under a foreign client id, and the node can read why', async () => {
    await expect(FakeNode.connect(house.server.mqttPort, 'post-1', one.key, { clientId: 'post-2' })).rejects.toThrow();
    await logged(house.maker, 'post-1', /client id post-2 is not its own: use post-1/);
    await logged(house.maker, 'post-1', /wrong key was refused/);
  });
  it('a second session of the same id takes over, and that is no lost link', async () => {
    const first = await FakeNode.connect(house.server.mqttPort, 'post-1', one.key);
    const second = await FakeNode.connect(house.server.mqttPort, 'post-1', one.key);
    await eventually(() => first.closed, 'the first session to end');
    const [node] = (await house.maker.get('/api/v1/nodes')).body.filter((n: { id: string }) => n.id === 'post-1');
    expect(node.connected).toBe(true);
    await second.end();
    await eventually(
      async () =>
        (await house.maker.get('/api/v1/nodes')).body.some((n: { id: string; connected: boolean }) => n.id === 'post-1' && !n.connected),
      'the link to be lost',
    );
  });
});

describe('what a node may do', () => {
  let node: FakeNode;
  beforeAll(async () => (node = await FakeNode.connect(house.server.mqttPort, 'post-1', one.key)));
  afterAll(() => node.end());

  it('publishes to its own channels only; another topic is refused, told and logged, and the link stays up', async () => {
    const other = await FakeNode.connect(house.server.mqttPort, 'post-2', two.key);
    for (const topic of ['dp/1/post-2/up', 'dp/1/post-2/do', 'dp/1/post-1/set', 'elsewhere'])
      await node.client.publishAsync(topic, '{"temperature":1}', { qos: 1 });
    await eventually(() => node.refused.filter((r) => r.why.includes('may not publish')).length === 4, 'refusals');
    await pause(100);
    expect(other.commands).toEqual([]);
    expect((await house.maker.get('/api/v1/points/post-2/temperature/readings')).body.readings).toEqual([]);
    expect(node.client.connected).toBe(true);
    await other.end();
  });
  it('may not leave retained messages, so that it cannot forge its own settings', async () => {
    await node.client.publishAsync('dp/1/post-1/up', '{"temperature":1}', { qos: 1, retain: true });
    await eventually(() => node.refused.some((r) => r.why.includes('retained')), 'refusal');
    const settings: unknown[] = [];
    const again = await mqtt.connectAsync({
      host: '127.0.0.1',
      port: house.server.mqttPort,
      protocolVersion: 4,
      clientId: 'post-1.b',
      username: 'post-1',
      password: one.key,
      reconnectPeriod: 0,
    });
    again.on('message', (_topic, payload) => settings.push(JSON.parse(payload.toString())));
    await again.subscribeAsync('dp/1/post-1/set', { qos: 1 });
    await eventually(() => settings.length > 0, 'the retained settings');
    expect(settings[0]).toMatchObject({ revision: 1, reportSeconds: 1 });
    await again.endAsync(true);
  });
  it.each(['dp/1/post-2/do', 'dp/1/+/do', '#', '$SYS/#', 'dp/1/post-1/up'])('may not subscribe to %s', async (filter) => {
    const grants = await node.client.subscribeAsync(filter, { qos: 1 }).catch((error: { message: string }) => error.message);
    const refused = typeof grants === 'string' ? /[Uu]nspecified|error/.test(grants) : grants.every((g) => (g.qos as number) >= 128);
    expect(refused || (Array.isArray(grants) && grants.length === 0)).toBe(true);
  });
});

describe('packets that are too large', () => {
  it('200 MB declared by a stranger: closed without waiting for the body', async () => {
    const socket = await tcp();
    const closed = closes(socket);
    socket.write(Buffer.concat([header(0x10, 200 * 1024 * 1024), Buffer.from('MQTT')]));
    expect(await closed).toBe(true);
  });
  it('65 kB from a node: closed; 60 kB is taken', async () => {
    const node = await FakeNode.connect(house.server.mqttPort, 'post-2', two.key);
    await node.up(JSON.stringify([{ n: 'temperature', v: 21 }]).padEnd(60_000));
    node.client.publish('dp/1/post-2/up', ' '.repeat(66_000), { qos: 1 });
    await eventually(() => node.closed, 'the link to be closed');
    expect((await house.maker.get('/api/v1/points/post-2/temperature/readings')).body.readings).toHaveLength(1);
  });
  it('garbage instead of MQTT hurts nobody', async () => {
    for (const bytes of [Buffer.from('GET / HTTP/1.1\r\n\r\n'), Buffer.alloc(64, 0xff), header(0x10, 0), Buffer.from([0x00])]) {
      const socket = await tcp();
      socket.on('error', () => undefined);
      socket.write(bytes);
      await pause(30);
      socket.destroy();
    }
    const node = await FakeNode.connect(house.server.mqttPort, 'post-2', two.key);
    await node.up({ temperature: 22 });
    await node.end();
  });
});

describe('keys', () => {
  it('are shown until first contact and then only their digest is left', async () => {
    const { key } = await house.node('post-3');
    expect((await house.maker.call('POST', '/api/v1/nodes/post-3/key', {})).body.key).toBe(key);
    const node = await FakeNode.connect(house.server.mqttPort, 'post-3', key);
    expect((await house.maker.call('POST', '/api/v1/nodes/post-3/key', {})).status).toBe(409);
    const row = await house.database('node').where({ name: 'post-3' }).first();
    expect(row.key_sealed).toBeNull();
    expect(JSON.stringify(row)).not.toContain(key);
    await logged(house.maker, 'post-3', /revealed to millwright/);
    await node.end();
  });
});
