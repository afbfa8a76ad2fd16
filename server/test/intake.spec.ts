import { gzipSync } from 'node:zlib';
import { eventually, FakeNode, logged, openHouse, pause, type House, type Body } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
afterAll(() => house?.close());

const stored = async (node: string, point: string, at = house): Promise<[number, number, number][]> => {
  const { body } = await at.maker.get(
    `/api/v1/points/${node}/${point}/readings?from=2020-01-01T00:00:00Z&to=2100-01-01T00:00:00Z&max=20000`,
  );
  return body.readings;
};
const log = async (node: string): Promise<{ level: string; text: string; times: number }[]> =>
  (await house.maker.get(`/api/v1/nodes/${node}/log`)).body;

describe('readings over MQTT', () => {
  let node: FakeNode;
  const now = Math.floor(Date.now() / 1000) * 1000;
  beforeAll(async () => {
    const { key } = await house.node('in-1');
    node = await FakeNode.connect(house.server.mqttPort, 'in-1', key);
  });
  afterAll(() => node.end());

  it('are stored once acknowledged, and the dew point is computed beside them', async () => {
    await node.up([
      { bn: 'in-1:', bt: now / 1000, n: 'temperature', v: 20 },
      { n: 'humidity', v: 50 },
    ]);
    expect(await stored('in-1', 'temperature')).toEqual([[now, 20, 0]]);
    const [[at, dew]] = (await stored('in-1', 'dew-point')) as [[number, number, number]];
    expect(at).toBe(now);
    expect(dew).toBeCloseTo(9.26, 2); // WMO-No. 8, check value 1.2-01
  });

  it('count once however often they are sent; another value for the same time is logged, not stored', async () => {
    const pack = [{ n: 'temperature', t: now / 1000 + 1, v: 21 }];
    await Promise.all([node.up(pack), node.up(pack), node.up([...pack, ...pack])]);
    await node.up([{ n: 'temperature', t: now / 1000 + 1, v: 99 / 2 }]);
    expect((await stored('in-1', 'temperature')).filter(([at]) => at === now + 1000)).toEqual([[now + 1000, 21, 0]]);
    await logged(house.maker, 'in-1', /another value \(49.5, stored is 21\): the first counts/);
  });

  it('that cannot be used are refused one by one, with a reason to the node and on its log page; the good ones are kept', async () => {
    node.refused.length = 0;
    await node.up([
      { n: 'temperature', t: now / 1000 + 2, v: 22 },
      { n: 'loudness', t: now / 1000 + 2, v: 3 },
      { n: 'humidity', t: now / 1000 + 2, v: 320 },
      { n: 'humidity', t: now / 1000 + 2.5, vs: 'damp' },
      { n: 'dew-point', t: now / 1000 + 2, v: 3 },
      { n: 'temperature', t: now / 1000 - 31 * 86_400, v: 3 },
    ]);
    await node.up('[{"n":"temperature","v":21');
    await node.up('{"temperature":NaN}');
    await eventually(() => node.refused.length >= 7, 'refusals');
    const whys = node.refused.map((r) => `${r.point ?? '–'}: ${r.why}`).join('\n');
    for (const wanted of [
      /loudness: unknown point/,
      /humidity: outside what the sensor can measure/,
      /humidity: not a number/,
      /dew-point: .*computed here/,
      /temperature: older than 30 days/,
      /–: not JSON/,
    ])
      expect(whys).toMatch(wanted);
    expect((await stored('in-1', 'temperature')).find(([at]) => at === now + 2000)).toEqual([now + 2000, 22, 0]);
    expect((await stored('in-1', 'humidity')).find(([at]) => at === now + 2000)).toEqual([now + 2000, 320, 2]);
    await eventually(async () => (await log('in-1')).filter((line) => line.level === 'refused').length >= 6, 'six lines of refusal');
  });

  it('from a clock that is off get the time of arrival, and the node is told', async () => {
    const before = Date.now();
    await node.up([
      { n: 'temperature', t: before / 1000 + 3600, v: 18 },
      { n: 'humidity', t: 1000, v: 40 },
    ]);
    const last = (await stored('in-1', 'temperature')).at(-1)!;
    expect(last[1]).toBe(18);
    expect(last[0]).toBeGreaterThanOrEqual(before);
    expect(last[0]).toBeLessThan(before + 5000);
    await logged(house.maker, 'in-1', /clock is off/);
    const flags = await house.database('reading').where({ value: 18 }).first('flags');
    expect(flags.flags & 2).toBe(2);
  });

  it('without a time come strictly one after the other', async () => {
    await Promise.all([1, 2, 3, 4, 5].map((v) => node.up({ temperature: 10 + v })));
    const times = (await stored('in-1', 'temperature')).filter(([, v]) => v > 10 && v < 16).map(([at]) => at);
    expect(times).toHaveLength(5);
    expect(new Set(times).size).toBe(5);
  });

  it('with nul characters and markup in a name are refused, and shown as text', async () => {
    await node.up([
      { n: 'temperature', t: now / 1000 + 4, v: 23 },
      { n: 'a\u0000b', v: 1 },
    ]);
    await node.up({ '<img src=x onerror=alert(1)>': 5 });
    expect((await stored('in-1', 'temperature')).find(([at]) => at === now + 4000)?.[1]).toBe(23);
    await logged(house.maker, 'in-1', /<img src=x onerror=alert\(1\)>/);
  });

  it('of a month that has no table yet make one', async () => {
    const back = Date.UTC(new Date().getUTCFullYear(), new Date().getUTCMonth(), 1) - 60_000;
    if (Date.now() - back > 29 * 86_400_000) return;
    await node.up([{ n: 'temperature', t: back / 1000, v: 12 }]);
    expect((await stored('in-1', 'temperature')).find(([at]) => at === back)?.[1]).toBe(12);
    expect((await house.database('reading').where({ value: 12 }).first('flags')).flags & 1).toBe(1);
  });
});

describe('readings over HTTP', () => {
  let key = '';
  let strict: House;
  beforeAll(async () => {
    strict = await openHouse({ DEWPOST_NODE_POSTS_PER_SECOND: '20' });
    ({ key } = await strict.node('in-http'));
  });
  afterAll(() => strict?.close());
  const post = (body: string, type = 'application/json', path = 'up', withKey = key) =>
    strict.visitor().call('POST', `/node/v1/${path}`, body, { authorization: `Bearer ${withKey}`, 'content-type': type });

  it('come as JSON, SenML or a form, and the answer says what was decided', async () => {
    expect((await post('{"temperature":19}')).body).toMatchObject({ stored: 1, refused: [] });
    expect((await post('[{"n":"humidity","v":40},{"n":"x","v":1}]', 'application/senml+json')).body).toMatchObject({
      stored: 1,
      refused: [{ point: 'x' }],
    });
    expect((await post('temperature=18.5&humidity=41', 'application/x-www-form-urlencoded')).body.stored).toBe(2);
  });
  it('come by PUT, in CBOR, packed, in the query where the body is empty, and with numbers as text', async () => {
    const call = async (method: string, path: string, body?: string | Uint8Array<ArrayBuffer>, headers: Record<string, string> = {}) => {
      const answer = await fetch(`${strict.server.url}/node/v1${path}`, {
        method,
        headers: { authorization: `Bearer ${key}`, ...headers },
        body,
      });
      return { status: answer.status, body: (await answer.json()) as { stored: number; refused: { point: string | null; why: string }[] } };
    };
    expect(await call('PUT', '/up', '{"temperature":"19.25"}', { 'content-type': 'application/json' })).toMatchObject({
      status: 200,
      body: { stored: 1, refused: [] },
    });
    // [{0: "temperature", 2: 24.5}, {0: "humidity", 2: 43}] by RFC 8949.
    const pack = Uint8Array.from(Buffer.from('82a2006b74656d706572617475726502f94e20a2006868756d696469747902182b', 'hex'));
    expect(await call('POST', '/up', pack, { 'content-type': 'application/senml+cbor' })).toMatchObject({
      status: 200,
      body: { stored: 2 },
    });
    expect((await stored('in-http', 'temperature', strict)).map(([, value]) => value)).toContain(24.5);
    const packed = Uint8Array.from(gzipSync('{"temperature":25.5}'));
    expect(await call('POST', '/up', packed, { 'content-type': 'application/json', 'content-encoding': 'gzip' })).toMatchObject({
      status: 200,
      body: { stored: 1 },
    });
    expect(await call('POST', '/up?temperature=26.5&humidity=44')).toMatchObject({ status: 200, body: { stored: 2, refused: [] } });
    const comma = await call('POST', '/up?temperature=26,5&humidity=45');
    expect(comma.body).toMatchObject({ stored: 1, refused: [{ point: 'temperature', why: 'a decimal comma: send 26.5' }] });
    expect(await call('POST', '/up')).toMatchObject({ status: 422, body: { stored: 0 } });
    expect(await call('POST', '/up', Uint8Array.of(0x9a, 5, 0xf5, 0xe1, 0), { 'content-type': 'application/cbor' })).toMatchObject({
      status: 422,
      body: { refused: [{ point: null, why: expect.stringMatching(/^not CBOR/) as string }] },
    });
    // A kilobyte that unpacks to a megabyte is a body of a megabyte.
    const bomb = Uint8Array.from(gzipSync(`{"temperature":${'1'.repeat(1_000_000)}}`));
    expect(bomb.length).toBeLessThan(2000);
    expect((await call('POST', '/up', bomb, { 'content-type': 'application/json', 'content-encoding': 'gzip' })).status).toBe(413);
    for (const method of ['PATCH', 'DELETE']) expect((await call(method, '/up?temperature=1')).status).toBe(404);
  });
  it('wholly unusable get a problem document', async () => {
    const { status, body, headers } = await post('{"temperature"');
    expect(status).toBe(422);
    expect(headers.get('content-type')).toContain('application/problem+json');
    expect(body.detail).toMatch(/not JSON/);
    await logged(strict.maker, 'in-http', /not JSON/, 'refused');
  });
  it('with an unknown key, too large a body or too many a second are turned away, and the log says so', async () => {
    expect((await post('{"temperature":1}', 'application/json', 'up', 'nobody')).status).toBe(401);
    expect((await post(`{"temperature":${'1'.repeat(1_000_000)}}`)).status).toBe(413);
    await logged(strict.maker, 'in-http', /a body above 64kb was refused/);
    const other = await strict.node('in-calm');
    const flood = Promise.all(Array.from({ length: 400 }, (_, i) => post(`[{"n":"temperature","t":${Date.now() / 1000 - i},"v":15}]`)));
    const calm = await strict.visitor().call('POST', '/node/v1/up', '{"temperature":20}', { authorization: `Bearer ${other.key}` });
    const statuses = (await flood).map((answer) => answer.status);
    expect(calm.status).toBe(200);
    expect(statuses.filter((s) => s === 429).length).toBeGreaterThan(50);
    const acknowledged = statuses.filter((s) => s === 200).length;
    const { readings } = (await strict.maker.get('/api/v1/points/in-http/temperature/readings?from=2020-01-01T00:00:00Z&max=20000')).body;
    expect(readings.filter(([, v]: number[]) => v === 15)).toHaveLength(acknowledged);
    await logged(strict.maker, 'in-http', /posts a second/);
  });
  it('hello, have, log, done are checked too', async () => {
    await pause(1100); // the flood's second is over
    const wrong = await post('{"firmware":3}', 'application/json', 'hello');
    expect([wrong.status, wrong.body.detail]).toEqual([422, expect.stringMatching(/^hello: firmware: .*; resetReason: /)]);
    expect((await post('{"firmware":', 'application/json', 'hello')).body.detail).toBe(
      'hello: not JSON: check quotes, commas and brackets',
    );
    await logged(strict.maker, 'in-http', /^hello: not JSON/, 'refused');
    // What is said counts as over MQTT: it is known by its firmware and board, and by the revision that it has.
    const hello = { firmware: 'dewnode 1.2.0', resetReason: 'power-up', hardwareId: 'dw-0000beef', points: ['temperature'] };
    expect((await post(JSON.stringify(hello), 'application/json', 'hello')).body).toEqual({ commands: [], revision: 1 });
    expect((await post('{"revision":1}', 'application/json', 'have')).body.revision).toBe(1);
    const known = (await strict.maker.get('/api/v1/nodes')).body.find(({ id }: Body) => id === 'in-http');
    expect(known).toMatchObject({ firmware: 'dewnode 1.2.0', hardwareId: 'dw-0000beef', haveRevision: 1 });
    expect((await post('{"level":"fault","text":"the fan does not turn"}', 'application/json', 'log')).status).toBe(200);
    await logged(strict.maker, 'in-http', /the fan does not turn/, 'fault');
    expect((await strict.visitor().call('GET', '/node/v1/set', undefined, { authorization: `Bearer ${key}` })).body.outputs[0].point).toBe(
      'humidifier',
    );
    expect((await post('{}', 'application/json', 'nowhere')).status).toBe(404);
  });
});

describe('history', () => {
  it('keeps the lowest and the highest of what it thins', async () => {
    const { key } = await house.node('in-long');
    const node = await FakeNode.connect(house.server.mqttPort, 'in-long', key);
    const start = Math.floor(Date.now() / 1000) - 3000;
    const value = (i: number): number => (i === 777 ? 60 : i === 1234 ? -20 : 20 + Math.sin(i / 50));
    for (let from = 0; from < 2400; from += 400)
      await node.up(Array.from({ length: 400 }, (_, i) => ({ n: 'temperature', t: start + from + i, v: value(from + i) })));
    const { body } = await house.maker.get(
      `/api/v1/points/in-long/temperature/readings?from=${(start - 1) * 1000}&to=${Date.now()}&max=200`,
    );
    expect(body.thinned).toBe(true);
    expect(body.readings.length).toBeLessThanOrEqual(202);
    const values = body.readings.map(([, v]: [number, number]) => v);
    expect(Math.max(...values)).toBe(60);
    expect(Math.min(...values)).toBe(-20);
    await node.end();
  });
  it('answers a span it cannot read with what to write instead', async () => {
    const { status, body } = await house.maker.get('/api/v1/points/in-1/temperature/readings?from=yesterday');
    expect(status).toBe(422);
    expect(body.detail).toMatch(/2026-11-24T08:00:00Z/);
    expect((await house.maker.get('/api/v1/points/in-1/nothing/readings')).status).toBe(404);
  });
});
