import { execFile } from 'node:child_process';
import mqtt, { type MqttClient } from 'mqtt';
import { promisify } from 'node:util';
import { eventually, FakeNode, logged, openHouse, type Body, type House } from './house';

const run = promisify(execFile);

let house: House;
let oven: { id: string; account: string; password: string };
beforeAll(async () => {
  house = await openHouse({}, 'needed');
  oven = (await house.maker.post('/api/v1/adopted', { name: 'Oven', room: 'Proving room' })).body;
});
afterAll(() => house?.close());

/** Publishes as a stranger's firmware does: any client id, any topic, retained or not. */
const say = (topic: string, message: string, flags: string[] = [], who = oven) =>
  run('mosquitto_pub', [
    ...['-h', '127.0.0.1', '-p', String(house.server.mqttPort), '-u', who.account, '-P', who.password, '-q', '1'],
    ...['-t', topic, '-m', message, ...flags],
  ]);
const map = (entries: unknown, id = oven.id) => house.maker.call('PUT', `/api/v1/adopted/${id}/map`, entries);
const latest = async (point: string): Promise<number[]> =>
  (await house.maker.get(`/api/v1/points/${oven.id}/${point}/readings`)).body.readings.map((reading: number[]) => reading[1]);
const listen = async (account: string, password: string): Promise<{ client: MqttClient; heard: { topic: string; text: string }[] }> => {
  const client = await mqtt.connectAsync({
    host: '127.0.0.1',
    port: house.server.mqttPort,
    protocolVersion: 4 as const,
    username: account,
    password,
    reconnectPeriod: 0,
  });
  const heard: { topic: string; text: string }[] = [];
  client.on('message', (topic, payload) => heard.push({ topic, text: payload.toString() }));
  client.on('error', () => undefined);
  return { client, heard };
};

describe('an adopted node', () => {
  it('is an account of its own; what it says is shown before anything is mapped, and nothing of it is stored', async () => {
    expect(oven).toEqual({ id: 'oven', account: 'oven', password: expect.stringMatching(/^[\w-]{20,}$/) as string });
    await say('oven/state', '{"temp":{"top":2314,"sole":2150},"door":"shut","err":null}');
    await say('oven/steam', '1.42', ['-r']);
    const { body } = await house.keeper.get('/api/v1/adopted/oven');
    expect(body.heard.map(({ topic, kind }: Body) => [topic, kind])).toEqual([
      ['oven/state', 'json'],
      ['oven/steam', 'number'],
    ]);
    expect(body.heard[0].leaves).toEqual([
      { pointer: '/temp/top', value: 2314 },
      { pointer: '/temp/sole', value: 2150 },
      { pointer: '/door', value: 'shut' },
      { pointer: '/err', value: null },
    ]);
    expect(body.filters).toEqual(['oven/#']);
    expect((await house.database('reading').count())[0]).toEqual({ count: 0 });
  });

  it('plain numbers, nested JSON and texts become readings once they are mapped; factor and unit are its own', async () => {
    const { status, body } = await map([
      { topic: 'oven/state', pointer: '/temp/top', point: 'top', label: 'Oven, top', unit: '°C', factor: 0.1, min: 0, max: 300 },
      { topic: 'oven/state', pointer: '/door', point: 'door', label: 'Oven door', unit: '', texts: { shut: 0, open: 1 } },
      { topic: 'oven/steam', point: 'steam', unit: 'kPa', factor: 100 },
    ]);
    expect([status, body.map(({ name, label, unit, confirm }: Body) => [name, label, unit, confirm])]).toEqual([
      200,
      [
        ['top', 'Oven, top', '°C', 'readings'],
        ['door', 'Oven door', '', 'hold'],
        ['steam', 'steam', 'kPa', 'readings'],
      ],
    ]);
    await say('oven/state', '{"temp":{"top":2314},"door":"open"}');
    await say('oven/steam', '1.5', ['-r']);
    expect([await latest('top'), await latest('door'), await latest('steam')]).toEqual([[231.4], [1], [150]]);
    // What has no number is refused by name, and the rest of the message counts.
    await say('oven/state', '{"temp":{"top":2400},"door":"ajar"}');
    await logged(house.maker, oven.id, /oven\/state: door: “ajar” has no number/, 'refused');
    expect([await latest('top'), await latest('door')]).toEqual([[231.4, 240], [1]]);
  });

  it('called otherwise by another map it is judged as people have it, and goes back to what it was', async () => {
    const judge = (judging: unknown) => house.maker.call('PUT', `/api/v1/nodes/${oven.id as string}/points/top/judging`, { judging });
    const top = async (): Promise<Body> =>
      (await house.maker.get('/api/v1/snapshot')).body.points.find(({ node, name }: Body) => node === oven.id && name === 'top');
    const { judging } = await top();
    await judge({ ...judging, physicalMax: 350 });
    const entries = (await house.maker.get(`/api/v1/adopted/${oven.id as string}`)).body.map as Body[];
    const renamed = (label: string) => map(entries.map((entry) => (entry['point'] === 'top' ? { ...entry, label } : entry)));
    await renamed('Oven, upper');
    expect(await top()).toMatchObject({ label: 'Oven, upper', judging: { physicalMax: 350 }, judgingOfSheet: judging });
    expect((await judge(null)).body).toMatchObject({ label: 'Oven, upper', judging, judgingOfSheet: null });
    await renamed('Oven, top');
  });

  it('another message of the wrong kind changes nothing and is said: a pointer to nowhere, 60 brackets, a text where a number was', async () => {
    const before = await latest('top');
    await say('oven/state', '[]');
    await say('oven/state', `${'['.repeat(60)}${']'.repeat(60)}`);
    await say('oven/steam', '“hot”');
    await logged(house.maker, oven.id, /top: the message has nothing at \/temp\/top/);
    await logged(house.maker, oven.id, /nested deeper than 32/);
    await logged(house.maker, oven.id, /steam: “.*” has no number/);
    expect(await latest('top')).toEqual(before);
  });

  it('publishes under its own topics only: not dp/, not another’s, not what it has not named', async () => {
    for (const topic of ['hall/lamp', 'dp/1/oven/up', 'dp/1/proving-1/up', '$SYS/x']) await say(topic, '{"top":1}');
    await logged(house.maker, oven.id, /may not publish to hall\/lamp: name the topic/);
    expect((await house.maker.get('/api/v1/adopted/oven')).body.heard.map(({ topic }: Body) => topic)).toEqual([
      'oven/state',
      'oven/steam',
    ]);
    const filters = (wanted: string[], id = oven.id) => house.maker.call('PUT', `/api/v1/adopted/${id}/filters`, { filters: wanted });
    for (const [filter, why] of [
      ['dp/1/oven/up', /house’s own/],
      ['#', /house’s own/],
      ['$share/x', /broker’s own/],
      ['oven/#/x', /only come last/],
    ] as const) {
      const { status, body } = await filters(['oven/#', filter]);
      expect([status, body.errors[0].path]).toEqual([422, 'body.filters.1']);
      expect(body.detail).toMatch(why);
    }
    expect((await filters(['oven/#', 'bakery/steam/+'])).body.filters).toEqual(['oven/#', 'bakery/steam/+']);
    const kiln = (await house.maker.post('/api/v1/adopted', { name: 'Kiln', room: 'Workshop' })).body;
    // Two cannot claim one topic.
    expect((await filters(['kiln/#', 'bakery/+/valve'], kiln.id)).body.detail).toMatch(/overlaps bakery\/steam\/\+ of oven/);
    await say('oven/state', '1', [], kiln);
    await logged(house.maker, kiln.id, /may not publish to oven\/state/);
    // What is mapped keeps its filter.
    expect((await filters(['bakery/steam/+'])).body.detail).toMatch(/oven\/state is mapped/);
  });

  it('takes over no node’s session, whatever client id it gives', async () => {
    const node = await house.node('steady-1');
    const link = await FakeNode.connect(house.server.mqttPort, node.id, node.key);
    await say('oven/steam', '1.6', ['-i', 'steady-1']);
    expect(link.closed).toBe(false);
    await link.say(60);
    await link.end();
  });

  it('a map that cannot stand is refused whole, by its place', async () => {
    for (const [entry, path, why] of [
      [{ topic: 'elsewhere/x', point: 'a', unit: '' }, 'body.1.topic', /under none of its filters/],
      [{ topic: 'oven/+', point: 'a', unit: '' }, 'body.1.topic', /no \+ or #/],
      [{ topic: 'oven/state', pointer: 'temp', point: 'a', unit: '' }, 'body.1.pointer', /JSON Pointer/],
      [{ topic: 'oven/state', point: 'top', unit: 'K' }, 'body.1.unit', /is told in °C/],
      [{ topic: 'oven/state', point: 'b', unit: '', factor: 0 }, 'body.1.factor', /not 0/],
    ] as const) {
      const { status, body } = await map([{ topic: 'oven/steam', point: 'steam', unit: 'kPa' }, entry]);
      expect([status, body.errors[0].path]).toEqual([422, path]);
      expect(body.detail).toMatch(why);
    }
    expect((await house.maker.get('/api/v1/adopted/oven')).body.map).toHaveLength(3);
  });

  it('has no bench, no fit and no rule that switches it, and keeps its map over a restart', async () => {
    const nodes = (await house.maker.get('/api/v1/nodes')).body;
    expect(nodes.find(({ id }: Body) => id === 'oven')).toMatchObject({ kind: 'adopted', name: 'Oven', state: 'proved' });
    for (const [path, body] of [
      ['/api/v1/provision/preflight', { nodes: ['oven'], firmware: {} }],
      ['/api/v1/nodes/oven/fit/signal', {}],
    ] as const)
      expect((await house.maker.post(path, body)).body.title).toBe('An adopted node');
    expect((await house.database('adopted_map').count())[0]).toEqual({ count: 3 });
  });
});

describe('a reading account', () => {
  it('hears its points and nothing else, the newest at once, and publishes nothing', async () => {
    const points = ['oven/top', 'oven/door'];
    const made = (await house.maker.post('/api/v1/readers', { name: 'Bakery display', points })).body;
    expect(made).toMatchObject({ account: 'bakery-display', topics: ['dp/out/oven/top', 'dp/out/oven/door'] });
    await say('oven/state', '{"temp":{"top":2500},"door":"open"}');
    const { client, heard } = await listen(made.account, made.password);
    await client.subscribeAsync('dp/out/#', { qos: 0 });
    await eventually(() => heard.length === 2, 'what was kept');
    expect(heard.map(({ topic, text }) => [topic, JSON.parse(text)])).toEqual(
      expect.arrayContaining([
        ['dp/out/oven/top', { v: 250, u: '°C', t: expect.any(Number) as number, q: 'good' }],
        ['dp/out/oven/door', { v: 1, u: '', t: expect.any(Number) as number, q: 'good' }],
      ]),
    );
    // Another account's point is published too, and not forwarded to this one.
    const other = (await house.maker.post('/api/v1/readers', { name: 'Steam only', points: ['oven/steam'] })).body;
    const others = await listen(other.account, other.password);
    await others.client.subscribeAsync('dp/out/oven/steam');
    await say('oven/steam', '2');
    await eventually(() => others.heard.some(({ text }) => JSON.parse(text).v === 200), 'the steam');
    await say('oven/state', '{"temp":{"top":2600},"door":"open"}');
    await eventually(() => heard.some(({ text }) => JSON.parse(text).v === 260), 'the next');
    expect(heard.filter(({ topic }) => topic === 'dp/out/oven/steam')).toEqual([]);
    // It neither publishes nor hears what nodes say to each other.
    await client.publishAsync('oven/state', '{"temp":{"top":9999}}', { qos: 1 });
    await client.publishAsync('dp/out/oven/top', '{"v":1}', { qos: 1 });
    for (const filter of ['#', 'oven/#', 'dp/1/oven/set', '$SYS/#']) await client.subscribeAsync(filter).catch(() => undefined);
    await say('oven/state', '{"temp":{"top":2700},"door":"open"}');
    await eventually(() => heard.some(({ text }) => JSON.parse(text).v === 270), 'the last');
    expect(new Set(heard.map(({ topic }) => topic))).toEqual(new Set(['dp/out/oven/top', 'dp/out/oven/door']));
    expect(await latest('top')).not.toContain(999.9);
    // Ended, it is cut off at once and its password is worthless.
    const gone = new Promise<void>((resolve) => client.once('close', () => resolve()));
    expect((await house.maker.call('DELETE', `/api/v1/readers/${made.id}`)).status).toBe(200);
    await gone;
    await expect(listen(made.account, made.password)).rejects.toThrow();
    await others.client.endAsync(true);
  });

  it('is asked for points that are there, by a maker', async () => {
    expect((await house.maker.post('/api/v1/readers', { name: 'x', points: ['oven/nowhere'] })).body.detail).toMatch(
      /no point oven\/nowhere/,
    );
    const list = (await house.maker.get('/api/v1/readers')).body;
    expect(list.map(({ account }: Body) => account)).toEqual(['steam-only']);
    expect(JSON.stringify(list)).not.toMatch(/password|digest/);
  });
});
