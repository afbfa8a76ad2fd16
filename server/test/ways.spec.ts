import { createHmac } from 'node:crypto';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { SMTPServer } from 'smtp-server';
import { NotAllowed, placeOf } from '../src/net/outgoing';
import { signatureOf } from '../src/ways/webhook';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';

interface Hook {
  port: number;
  heard: { body: string; signature: string; path: string }[];
  answer: number;
  server: Server;
}
const openHook = async (): Promise<Hook> => {
  const hook: Hook = { port: 0, heard: [], answer: 200, server: createServer() };
  hook.server.on('request', (request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      hook.heard.push({
        body: Buffer.concat(chunks).toString(),
        signature: String(request.headers['dew-post-signature']),
        path: request.url ?? '',
      });
      response.writeHead(hook.answer, hook.answer === 302 ? { location: 'http://169.254.169.254/' } : {}).end();
    });
  });
  await new Promise<void>((resolve) => hook.server.listen(0, '127.0.0.1', resolve));
  hook.port = (hook.server.address() as AddressInfo).port;
  return hook;
};

let house: House;
let hook: Hook;
let post: SMTPServer;
const mails: { user: string; from: string; to: string[]; text: string }[] = [];
let smtpPort = 0;
beforeAll(async () => {
  hook = await openHook();
  post = new SMTPServer({
    // The building's own server, without TLS.
    hideSTARTTLS: true,
    allowInsecureAuth: true,
    onAuth: ({ username, password }, _session, done) =>
      password === 'letter box' ? done(null, { user: username }) : done(new Error('no')),
    onData: (stream, session, done) => {
      const chunks: Buffer[] = [];
      stream.on('data', (chunk: Buffer) => chunks.push(chunk));
      stream.on('end', () => {
        const { mailFrom, rcptTo } = session.envelope;
        mails.push({
          user: String(session.user),
          from: mailFrom === false ? '' : mailFrom.address,
          to: rcptTo.map(({ address }) => address),
          text: Buffer.concat(chunks).toString(),
        });
        done();
      });
    },
  });
  await new Promise<void>((resolve) => post.listen(0, '127.0.0.1', resolve));
  smtpPort = (post.server.address() as AddressInfo).port;
  house = await openHouse({ DEWPOST_OUTGOING_ALLOW: `127.0.0.1:${hook.port}, 127.0.0.1:${smtpPort}` });
});
afterAll(async () => {
  await house?.close();
  hook?.server.close();
  await new Promise<void>((resolve) => post.close(() => resolve()));
});

const add = (body: object) => house.maker.post('/api/v1/ways', body);
const list = async (): Promise<Body[]> => (await house.maker.get('/api/v1/ways')).body;
const test = async (id: number): Promise<Body> => (await house.maker.post(`/api/v1/ways/${id}/test`, {})).body;

describe('a webhook', () => {
  it('really arrives, signed so that a separate check agrees; its secret is shown once', async () => {
    const made = (await add({ kind: 'webhook', name: 'Night desk', url: `http://127.0.0.1:${hook.port}/hook?token=abc` })).body;
    expect(made.secret).toMatch(/^[\w-]{30,}$/);
    expect(await test(made.id)).toMatchObject({ delivered: true });
    const { body, signature, path } = hook.heard[0]!;
    expect([path, JSON.parse(body)]).toEqual([
      '/hook?token=abc',
      expect.objectContaining({ site: 'Wrenfold Mill', severity: 'note', to: 'Night desk' }),
    ]);
    const [, seconds = '', digest] = /^t=(\d+),v1=([0-9a-f]{64})$/.exec(signature) ?? [];
    expect(createHmac('sha256', made.secret).update(`${seconds}.${body}`).digest('hex')).toBe(digest);
    expect(Math.abs(Number(seconds) * 1000 - Date.now())).toBeLessThan(10_000);
    const shown = await list();
    expect(shown.find(({ id }) => id === made.id)).toMatchObject({
      to: `127.0.0.1:${hook.port}`,
      provedAt: expect.any(Number) as number,
      failure: null,
    });
    expect(JSON.stringify(shown)).not.toMatch(/secret|token=abc/);
  });
  // RFC 4231, test case 2: key "Jefe", data "what do ya want for nothing?".
  it('is signed by HMAC-SHA256', () => {
    expect(createHmac('sha256', 'Jefe').update('what do ya want for nothing?').digest('hex')).toBe(
      '5bdcc146bf60754e6a042426089575c75a003f089d2739839dec58b964ec3843',
    );
    expect(signatureOf('Jefe', 'x', 7)).toBe(`t=7,v1=${createHmac('sha256', 'Jefe').update('7.x').digest('hex')}`);
  });
  it('a redirect is not followed, a refusal is said, and what becomes of a message is kept with the way', async () => {
    const { id } = (
      await add({ kind: 'webhook', name: 'Elsewhere', url: `http://127.0.0.1:${hook.port}/x`, least: 'critical', notices: false })
    ).body;
    hook.answer = 302;
    expect(await test(id)).toMatchObject({ delivered: false, detail: expect.stringMatching(/redirects are not followed/) as string });
    hook.answer = 500;
    expect((await test(id)).detail).toBe('it answered 500');
    expect((await list()).find((way) => way.id === id)).toMatchObject({
      failure: 'it answered 500',
      failedAt: expect.any(Number) as number,
    });
    hook.answer = 200;
    expect((await house.maker.call('DELETE', `/api/v1/ways/${id}`)).status).toBe(200);
    expect((await house.maker.post(`/api/v1/ways/${id}/test`, {})).status).toBe(404);
  });
  it('goes to no machine of the building that is not named, host and port', async () => {
    for (const url of ['http://127.0.0.1:1/x', 'http://[::1]:80/', 'http://169.254.169.254/latest', 'http://localhost:22/']) {
      const { id } = (await add({ kind: 'webhook', name: 'Inside', url })).body;
      expect((await test(id)).detail).toMatch(/lies inside the building: name .* in DEWPOST_OUTGOING_ALLOW/);
      await house.maker.call('DELETE', `/api/v1/ways/${id}`);
    }
    const both = (): Promise<string[]> => Promise.resolve(['203.0.113.7', '10.0.0.1']);
    await expect(placeOf('two.example', 443, [], both)).rejects.toThrow(NotAllowed);
    expect(await placeOf('out.example', 443, [], () => Promise.resolve(['203.0.113.7']))).toMatchObject({ address: '203.0.113.7' });
    expect((await add({ kind: 'webhook', name: 'x', url: 'file:///etc/passwd' })).status).toBe(422);
  });
});

describe('mail', () => {
  const MAIL = {
    kind: 'mail',
    name: 'Millwright',
    host: '127.0.0.1',
    tls: 'none',
    user: 'mill',
    from: 'mill@wrenfold.example',
    to: ['wright@wrenfold.example'],
  };
  it('really arrives, signed in, by a real SMTP server; a wrong password is said and no password is shown', async () => {
    const { id } = (await add({ ...MAIL, port: smtpPort, password: 'letter box' })).body;
    expect(await test(id)).toMatchObject({ delivered: true, detail: 'delivered to wright@wrenfold.example' });
    expect(mails[0]).toMatchObject({ user: 'mill', from: 'mill@wrenfold.example', to: ['wright@wrenfold.example'] });
    expect(mails[0]!.text).toMatch(/Subject: Wrenfold Mill: A test, nothing is wrong/);
    const wrong = (await add({ ...MAIL, name: 'Wrong', port: smtpPort, password: 'letterbox' })).body;
    expect(await test(wrong.id)).toMatchObject({ delivered: false });
    expect(JSON.stringify(await list())).not.toMatch(/letter ?box/);
    await house.maker.call('DELETE', `/api/v1/ways/${wrong.id}`);
  });
  it('TLS that was wanted and is not there is not done without', async () => {
    const { id } = (await add({ ...MAIL, name: 'TLS', tls: 'offered', port: smtpPort, password: 'letter box' })).body;
    const before = mails.length;
    expect(await test(id)).toMatchObject({ delivered: false, detail: expect.stringMatching(/certificate|TLS/i) as string });
    expect(mails).toHaveLength(before);
    await house.maker.call('DELETE', `/api/v1/ways/${id}`);
  });
});

it('an alert goes by every way for its severity, or by those its rule names; a way that is down is tried until it answers', async () => {
  const { id, key, points } = await house.node('told-1');
  const link = await FakeNode.connect(house.server.mqttPort, id, key);
  const [desk, letter] = await list();
  const rule = {
    side: 'low',
    deadband: 2,
    onDelaySeconds: 0,
    offDelaySeconds: 0,
    severity: 'warning',
    output: null,
    point: points['humidity'],
  };
  hook.heard.length = mails.length = 0;
  hook.answer = 503;
  await house.maker.post('/api/v1/thresholds', { ...rule, setpoint: 50 });
  await house.maker.post('/api/v1/thresholds', { ...rule, setpoint: 30, route: [letter!.id] });
  await link.say(45);
  await eventually(() => mails.length === 1 && hook.heard.length > 0, 'both ways tried');
  hook.answer = 200;
  const told = (): string[] => hook.heard.map(({ body }) => (JSON.parse(body) as { id: string }).id);
  await eventually(() => told().length > 1, 'tried again');
  // The same message under the same id, however often it was tried.
  expect(new Set(told()).size).toBe(1);
  await eventually(async () => (await list()).find((way) => way.id === desk!.id)?.failure === null, 'proved again');
  await link.say(25);
  await eventually(() => mails.length === 2, 'by its own way');
  expect(told().length).toBe(hook.heard.length);
  expect(new Set(told()).size).toBe(1);
  await link.end();
});

it('what may not be spoken to is tried once, and what answers wrongly again', async () => {
  const inside = (await add({ kind: 'webhook', name: 'Inside', url: 'http://10.1.2.3/x' })).body;
  const { id, key, points } = await house.node('told-2');
  const link = await FakeNode.connect(house.server.mqttPort, id, key);
  const rule = { side: 'low', setpoint: 50, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
  await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'], route: [inside.id] });
  await link.say(45);
  const item = async (): Promise<Body> =>
    (await house.database('outbox').where({ kind: 'way' }).whereRaw(`(body->>'way')::int = ?`, [inside.id]).first()) as Body;
  await eventually(async () => (await item())?.failed_at ?? false, 'given up');
  expect([(await item()).attempts, (await item()).error]).toEqual([1, expect.stringMatching(/lies inside the building/)]);
  await house.maker.call('DELETE', `/api/v1/ways/${inside.id}`);
  await link.end();
});
