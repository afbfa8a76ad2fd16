import { connect as tcp, createServer, type AddressInfo, type Socket } from 'node:net';
import { GuardedStream } from '../src/broker/guarded-stream';
import { Rooms } from '../src/live/routes';
import { LINES_AT_ONCE } from '../src/model/node-log';
import { eventually, FakeNode, openHouse, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse({ DEWPOST_STANDINS_URL: 'http://127.0.0.1:9' })));
afterAll(() => house.close());

const raw = (port: number, text: string): Promise<Socket> =>
  new Promise((resolve, reject) => {
    const socket = tcp(port, '127.0.0.1', () => {
      socket.write(text);
      resolve(socket);
    });
    socket.on('error', reject);
  });
const answerOf = (socket: Socket): Promise<string> =>
  new Promise((resolve) => {
    let text = '';
    socket.on('data', (chunk: Buffer) => (text += chunk.toString('latin1')));
    socket.on('close', () => resolve(text));
  });
const alive = async (): Promise<void> => expect((await fetch(`${house.server.url}/healthz`)).status).toBe(200);

describe('nobody without an account can stop it', () => {
  it('a reset during an upgrade, to any address', async () => {
    const { port } = new URL(house.server.url);
    for (const path of ['/standins/ports/1', '/api/v1/live', '/', '//', '/%'])
      for (const origin of [`Origin: ${house.server.url}\r\n`, '']) {
        const head = `GET ${path} HTTP/1.1\r\nHost: 127.0.0.1:${port}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n${origin}Sec-WebSocket-Version: 13\r\nSec-WebSocket-Key: x3JJHMbDL1EzLkh9GBhXDw==\r\n\r\n`;
        (await raw(Number(port), head)).resetAndDestroy();
      }
    await alive();
  });

  it('another protocol that is offered is not demanded: the page comes', async () => {
    const { port } = new URL(house.server.url);
    const socket = await raw(
      Number(port),
      `GET /healthz HTTP/1.1\r\nHost: 127.0.0.1:${port}\r\nConnection: Upgrade, HTTP2-Settings\r\nUpgrade: h2c\r\nHTTP2-Settings: AAMAAABkAARAAAAAAAIAAAAA\r\n\r\n`,
    );
    expect(await answerOf(socket)).toMatch(/^HTTP\/1\.1 200 OK[\s\S]*"ok":true/);
  });

  it('large bodies are not read before their door is passed', async () => {
    const { port } = new URL(house.server.url);
    const socket = await raw(
      Number(port),
      `PUT /api/v1/site-plan HTTP/1.1\r\nHost: 127.0.0.1:${port}\r\nContent-Type: application/json\r\nContent-Length: 6000000\r\n\r\n{"base":0`,
    );
    // The answer comes although five megabytes are missing, and the connection with it.
    expect(await answerOf(socket)).toMatch(/^HTTP\/1\.1 401 /);
    const keeper = await house.keeper.call('PUT', '/api/v1/site-plan', `{"base":0,"plan":"${'x'.repeat(2_000_000)}"}`);
    expect(keeper.status).toBe(403);
    const deep = await house.maker.post('/api/v1/thresholds', `${'['.repeat(5000)}${']'.repeat(5000)}`);
    expect([deep.status, deep.body.title]).toEqual([400, 'Too deep']);
    const large = await house.maker.post('/api/v1/thresholds', `{"a":"${'x'.repeat(300_000)}"}`);
    expect(large.status).toBe(413);
  });

  it('a cookie that is no text, a number that is no number, a text with a zero in it: a clear refusal', async () => {
    const visitor = house.visitor();
    expect((await visitor.call('GET', '/api/v1/shared/snapshot', undefined, { cookie: 'dewpost.share=%E0' })).status).toBe(401);
    await house.node('harm-photo');
    expect((await house.maker.get('/api/v1/nodes/harm-photo/photos/abc')).status).toBe(422);
    expect((await house.maker.get('/api/v1/nodes/harm-photo/photos/2147483648')).status).toBe(422);
    expect((await house.maker.get('/api/v1/nodes/harm-photo/photos/12')).status).toBe(404);
    expect((await house.maker.get('/api/v1/build-sheets/a%00b/versions')).status).toBe(422);
    const noted = await house.keeper.post('/api/v1/relays/1/switch', { on: true, seconds: 5, reason: 'a\u0000b' });
    expect([noted.status, noted.body.detail]).toEqual([400, expect.stringMatching(/zero character/)]);
    // Escaped, it is a text like any other.
    expect((await house.keeper.post('/api/v1/relays/1/switch', { on: true, seconds: 5, reason: '\\u0000' })).status).not.toBe(400);
  });
});

describe('a node that misbehaves harms only itself', () => {
  it('values and times that are no number are refused; pages and shared pages go on', async () => {
    const { key, points } = await house.node('harm-1');
    const node = await FakeNode.connect(house.server.mqttPort, 'harm-1', key);
    await node.up('[{"n":"temperature","bv":1.7e308,"v":1.7e308},{"n":"humidity","bv":0,"v":55}]');
    await node.up('[{"n":"temperature","bt":-1.797693134862316e305,"v":20}]');
    await eventually(() => node.refused.length >= 2, 'both refusals');
    const snapshot = await house.maker.get('/api/v1/snapshot');
    expect(snapshot.status).toBe(200);
    expect(snapshot.body.latest.filter((one: { point: number }) => one.point === points['temperature'])).toEqual([]);
    expect(snapshot.body.latest.find((one: { point: number }) => one.point === points['humidity']).value).toBe(55);
    await node.end();
  });

  it('a thousand refused records are a handful of lines, and readings go on meanwhile', async () => {
    const { key } = await house.node('harm-2');
    const node = await FakeNode.connect(house.server.mqttPort, 'harm-2', key);
    await node.up(Array.from({ length: 1000 }, (_, i) => ({ n: `nothing-${i}`, v: i })));
    const lines = await eventually(async () => {
      const { body } = await house.maker.get('/api/v1/nodes/harm-2/log');
      return body.some((line: { text: string }) => /more like these/.test(line.text)) ? body : null;
    }, 'the summary');
    const refused = lines.filter((line: { level: string }) => line.level === 'refused');
    expect(refused).toHaveLength(LINES_AT_ONCE + 1);
    expect(refused.map((line: { text: string }) => line.text).join(' ')).toMatch(new RegExp(`and ${1000 - LINES_AT_ONCE} more like these`));
    await node.end();
  });

  it('one that does not read what it is sent keeps nobody waiting, and is dropped', async () => {
    const server = createServer();
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const accepted = new Promise<Socket>((resolve) => server.once('connection', resolve));
    const deaf = tcp((server.address() as AddressInfo).port, '127.0.0.1');
    deaf.pause();
    let said = 0;
    const stream = new GuardedStream(
      await accepted,
      () => undefined,
      () => said++,
    );
    const chunk = Buffer.alloc(32 * 1024);
    // Every write is taken at once, whatever the other end does; the kernel's own buffers are filled first.
    for (let written = 0; !stream.destroyed; written += chunk.length) {
      await new Promise<void>((resolve, reject) => stream.write(chunk, (error) => (error ? reject(error) : resolve())));
      expect(written).toBeLessThan(64 * 1024 * 1024);
    }
    expect(said).toBe(1);
    deaf.destroy();
    server.close();
  });
});

it('live pages are counted: whoever leaves makes room, once', () => {
  const rooms = new Rooms({ each: 2, inAll: 3 });
  const [first] = [rooms.enter('a'), rooms.enter('a')];
  expect(() => rooms.enter('a')).toThrow(/live pages are open/);
  rooms.enter('b');
  expect(() => rooms.enter('c')).toThrow(/live pages/);
  first!();
  first!();
  rooms.enter('a');
  expect(() => rooms.enter('a')).toThrow(/live pages/);
});

it('limits are checked before they are kept: what a node could not be told is never armed', async () => {
  const { points, key } = await house.node('harm-5');
  const rule = {
    side: 'low',
    deadband: 1,
    onDelaySeconds: 0,
    offDelaySeconds: 0,
    severity: 'advisory',
    output: points['humidifier'],
    point: points['humidity'],
  };
  for (let i = 0; i < 32; i++) expect((await house.maker.post('/api/v1/thresholds', { ...rule, setpoint: 10 + i })).status).toBe(200);
  const more = await house.maker.post('/api/v1/thresholds', { ...rule, setpoint: 60 });
  expect([more.status, more.body.detail]).toEqual([422, expect.stringMatching(/32 thresholds/)]);
  // One that switches another's output, or nothing, is not the node's to hold.
  expect((await house.maker.post('/api/v1/thresholds', { ...rule, output: null, setpoint: 60 })).status).toBe(200);
  const node = await FakeNode.connect(house.server.mqttPort, 'harm-5', key);
  await node.say(70);
  expect(node.closed).toBe(false);
  await node.end();
});
