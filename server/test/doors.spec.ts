import { request } from 'node:http';
import { connect } from 'node:net';
import { addAccount, checkPassword } from '../src/access/accounts';
import { DEMO_ACCOUNTS } from '../src/access/demo-accounts';
import { makeVault } from '../src/vault/vault';
import { readConfig } from '../src/config/config';
import { eventually, FakeNode, openHouse, pause, type House, type Visitor } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
afterAll(() => house?.close());

/** A raw request: fetch would not send a foreign Host. */
const raw = (options: {
  method?: string;
  path: string;
  headers?: Record<string, string>;
  body?: string;
}): Promise<{ status: number; body: string }> =>
  new Promise((resolve, reject) => {
    const url = new URL(house.server.url);
    const outgoing = request(
      { host: url.hostname, port: url.port, method: options.method ?? 'GET', path: options.path, headers: options.headers },
      (answer) => {
        let body = '';
        answer.on('data', (chunk: Buffer) => (body += chunk.toString()));
        answer.on('end', () => resolve({ status: answer.statusCode ?? 0, body }));
      },
    );
    outgoing.on('error', reject);
    outgoing.end(options.body);
  });

describe('sign-in', () => {
  it('makes a new session and a cookie that scripts cannot read', async () => {
    const visitor = house.visitor();
    const answer = await visitor.post('/api/v1/session', { name: 'baker', password: 'a long password' });
    const cookie = answer.headers.getSetCookie()[0] ?? '';
    expect(cookie).toMatch(/HttpOnly/);
    expect(cookie).toMatch(/SameSite=Strict/);
    const before = visitor.cookie();
    await visitor.post('/api/v1/session', { name: 'baker', password: 'a long password' });
    expect(visitor.cookie()).not.toBe(before);
  });
  it('says the same of a wrong name and a wrong password, and slows down', async () => {
    const wrong = await house.visitor().post('/api/v1/session', { name: 'baker2', password: 'a wrong password' });
    const unknown = await house.visitor().post('/api/v1/session', { name: 'nobody', password: 'a wrong password' });
    expect([wrong.status, wrong.body.detail]).toEqual([401, unknown.body.detail]);
    const statuses: number[] = [];
    for (let i = 0; i < 12; i++)
      statuses.push((await house.visitor().post('/api/v1/session', { name: 'stormed', password: `guess number ${i}` })).status);
    expect(statuses.filter((s) => s === 429).length).toBe(2);
  });
  it('refuses demo accounts where the server is not the demo on loopback', async () => {
    const [demo] = DEMO_ACCOUNTS;
    expect(await checkPassword(house.database, demo.name, demo.password, true)).toEqual({ name: 'maker', role: 'maker' });
    expect(await checkPassword(house.database, demo.name, demo.password, false)).toBeNull();
    expect((await house.visitor().get('/api/v1/door')).body.demo).toEqual([]);
    await expect(addAccount(house.database, 'x', 'maker', 'short')).rejects.toThrow(/10 characters/);
  });
  it('signing out ends the session and its open stream', async () => {
    const visitor = house.visitor();
    await visitor.post('/api/v1/session', { name: 'baker', password: 'a long password' });
    const stream = await fetch(`${house.server.url}/api/v1/live`, { headers: { cookie: visitor.cookie() } });
    const text = stream.text();
    await visitor.call('DELETE', '/api/v1/session');
    expect(await text).toMatch(/event: ended\ndata: "signed out"/);
    expect((await visitor.get('/api/v1/session')).status).toBe(401);
  });
});

describe('the doors', () => {
  it('ask for a known Host and, to change anything, for the page’s own Origin or a JSON body', async () => {
    const url = new URL(house.server.url);
    const body = JSON.stringify({ name: 'baker', password: 'a long password' });
    const sign = (headers: Record<string, string>) =>
      raw({
        method: 'POST',
        path: '/api/v1/session',
        headers: { host: url.host, 'content-length': String(body.length), ...headers },
        body,
      });
    expect((await raw({ path: '/api/v1/door', headers: { host: 'evil.example' } })).status).toBe(421);
    expect((await raw({ path: '/', headers: { host: 'evil.example' } })).status).toBe(421);
    expect((await sign({ 'content-type': 'application/json', origin: 'http://evil.example' })).status).toBe(403);
    expect((await sign({ 'content-type': 'text/plain' })).status).toBe(403);
    expect((await sign({ 'content-type': 'application/json', 'sec-fetch-site': 'cross-site' })).status).toBe(403);
    expect((await sign({ 'content-type': 'application/json', origin: url.origin })).status).toBe(200);
  });
  it('nothing under /standins exists where no stand-ins are set, on upgrade either', async () => {
    for (const path of ['/standins/', '/standins/ports', '/standins/handset/messages', '/standins/mishaps'])
      expect((await house.maker.get(path)).status).toBe(404);
    const url = new URL(house.server.url);
    const first = await new Promise<string>((resolve) => {
      const socket = connect(Number(url.port), url.hostname, () =>
        socket.write(
          `GET /standins/ports/1 HTTP/1.1\r\nHost: ${url.host}\r\nOrigin: ${url.origin}\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Version: 13\r\nSec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==\r\n\r\n`,
        ),
      );
      socket.once('data', (data) => resolve(data.toString().split('\r\n')[0] ?? ''));
    });
    expect(first).toBe('HTTP/1.1 404 Not Found');
  });
  it('errors are problem documents that say what to do', async () => {
    const broken = await house.maker.call('POST', '/api/v1/nodes', '{"id":');
    expect([broken.status, broken.headers.get('content-type')]).toEqual([400, 'application/problem+json; charset=utf-8']);
    const named = await house.maker.post('/api/v1/nodes', { id: '<script>alert(1)</script>', room: 'Cellar', buildSheet: 'climate-post' });
    expect([named.status, named.body.errors[0].path]).toEqual([422, 'body.id']);
    const sheet = await house.maker.post('/api/v1/nodes', { id: 'x-1', room: 'Cellar', buildSheet: '<b>no</b>' });
    expect([sheet.status, sheet.body.detail]).toEqual([422, expect.stringMatching(/there is climate-post/)]);
    expect((await house.maker.get('/api/v1/nothing')).body.detail).toMatch(/openapi\.json/);
    expect((await house.maker.post('/api/v1/nodes', { id: 'y', room: 'x'.repeat(300_000), buildSheet: 'x' })).status).toBe(413);
  });
  it('pages carry a strict content policy and no referrer; health is open and says little', async () => {
    const answer = await house.visitor().get('/api/v1/door');
    expect(answer.headers.get('content-security-policy')).toMatch(/script-src 'self';/);
    expect(answer.headers.get('referrer-policy')).toBe('no-referrer');
    // By its second word a server knows itself when it is asked by another address; it says nothing of what it is.
    expect((await house.visitor().get('/healthz')).body).toEqual({ ok: true, server: expect.stringMatching(/^[\w-]{22}$/) });
  });
  it('figures are open to who watches over the process, in the text format of Prometheus 0.0.4, and name nobody', async () => {
    const { body, headers } = await house.visitor().get('/metrics');
    expect(headers.get('content-type')).toMatch(/^text\/plain; version=0\.0\.4/);
    for (const name of ['readings_last_minute', 'intake_messages_waiting', 'alerts_open', 'broker_connections', 'outbox_waiting'])
      expect(body).toMatch(new RegExp(`^dewpost_${name} \\d+$`, 'm'));
    expect(body).toMatch(/^dewpost_database_connections_used \d+$/m);
    expect(body).toMatch(/^dewpost_process_resident_memory_bytes \d+$/m);
    for (const line of (body as string).split('\n').filter((text) => text !== '' && !text.startsWith('#')))
      expect(line).toMatch(/^dewpost_[a-z0-9_]+(\{[a-z_]+="[^"]*"(,[a-z_]+="[^"]*")*\})? (NaN|-?[\d.e+-]+)$/);
    expect(body).not.toMatch(/climate|Proving|millwright/);
  });
});

describe('a new password', () => {
  const PASSWORD = 'a long password';
  const open = async (who: Visitor): Promise<{ ended: Promise<string> }> => {
    const answer = await fetch(`${house.server.url}/api/v1/live`, { headers: { cookie: who.cookie() } });
    expect(answer.status).toBe(200);
    return { ended: answer.text() };
  };
  const set = (by: Visitor, body: object) => by.call('PUT', '/api/v1/accounts/watchman/password', body);

  it('of one’s own leaves one’s own page open; a maker’s for somebody ends all that is open of theirs, and nobody else’s', async () => {
    await house.maker.post('/api/v1/accounts', { name: 'watchman', role: 'keeper', password: PASSWORD });
    const watchman = house.visitor();
    await watchman.post('/api/v1/session', { name: 'watchman', password: PASSWORD });
    let over = false;
    const page = await open(watchman);
    void page.ended.then(() => (over = true));
    const other = await open(house.keeper);
    let otherOver = false;
    // Open until the house ends, which cuts it.
    void other.ended.then(
      () => (otherOver = true),
      () => undefined,
    );
    expect((await set(watchman, { present: 'not this one', password: 'another long one' })).status).toBe(422);
    expect((await set(house.keeper, { present: PASSWORD, password: 'another long one' })).status).toBe(403);
    expect((await set(watchman, { present: PASSWORD, password: 'another long one' })).status).toBe(200);
    expect([(await watchman.get('/api/v1/session')).status, over]).toEqual([200, false]);
    expect((await set(house.maker, { password: 'a third long one' })).status).toBe(200);
    expect(await page.ended).toMatch(/event: ended/);
    expect([(await watchman.get('/api/v1/session')).status, otherOver]).toEqual([401, false]);
    // Whoever opens the page sees that somebody can sign in already.
    expect((await house.visitor().get('/api/v1/door')).body.empty).toBe(false);
  });
});

describe('a share link', () => {
  let onlooker: Visitor;
  let share: { id: number };
  beforeAll(async () => {
    const { key } = await house.node('shown-1', 'Cellar');
    const hidden = await house.node('hidden-1', 'Workshop');
    const node = await FakeNode.connect(house.server.mqttPort, 'shown-1', key);
    const other = await FakeNode.connect(house.server.mqttPort, 'hidden-1', hidden.key);
    await Promise.all([node.say(70), other.say(44)]);
    await Promise.all([node.end(), other.end()]);
    const made = await house.maker.post('/api/v1/shares', { dashboard: 'cellar', label: 'visitors', days: 7 });
    share = made.body.share;
    onlooker = house.visitor();
    expect((await onlooker.post('/api/v1/shared/session', { token: made.body.token })).status).toBe(200);
    const stored = JSON.stringify(await house.database('share'));
    expect(stored).not.toContain(made.body.token);
  });
  it('shows its dashboard and nothing else: no node, no key, no other room, no name', async () => {
    const { body } = await onlooker.get('/api/v1/shared/snapshot');
    const text = JSON.stringify(body);
    expect(body.points.map((p: { label: string }) => p.label)).toContain('Humidity');
    for (const kept of ['shown-1', 'hidden-1', 'Workshop', 'millwright', 'key']) expect(text).not.toContain(kept);
    const { body: all } = await house.maker.get('/api/v1/snapshot');
    const idOf = (node: string) => all.points.find((p: { node: string; name: string }) => p.node === node && p.name === 'humidity').id;
    expect((await onlooker.get(`/api/v1/shared/readings/${idOf('shown-1')}`)).body.readings).toHaveLength(1);
    expect((await onlooker.get(`/api/v1/shared/readings/${idOf('hidden-1')}`)).status).toBe(404);
    for (const path of ['/api/v1/snapshot', '/api/v1/nodes', '/api/v1/live', '/api/v1/alerts'])
      expect((await onlooker.get(path)).status).toBe(401);
  });
  it('is one of several: another that ends takes nothing from it, and one that has ended, or never was, cannot be ended', async () => {
    const made = await house.maker.post('/api/v1/shares', { dashboard: 'cellar', label: 'the other', days: 1 });
    const other = house.visitor();
    expect((await other.post('/api/v1/shared/session', { token: made.body.token })).status).toBe(200);
    const end = (id: number) => house.maker.call('DELETE', `/api/v1/shares/${id}`);
    const ended = [await end(made.body.share.id), await end(made.body.share.id), await end(9_999_999)];
    expect(ended.map(({ status }) => status)).toEqual([200, 404, 404]);
    expect((await other.get('/api/v1/shared/snapshot')).status).toBe(401);
    expect((await onlooker.get('/api/v1/shared/snapshot')).status).toBe(200);
  });
  it('ends at once when it is revoked, open streams too', async () => {
    const stream = fetch(`${house.server.url}/api/v1/shared/live`, { headers: { cookie: onlooker.cookie() } }).then((answer) =>
      answer.text(),
    );
    await pause(200);
    await house.maker.call('DELETE', `/api/v1/shares/${share.id}`);
    expect(await stream).toMatch(/event: ended/);
    expect((await onlooker.get('/api/v1/shared/snapshot')).status).toBe(401);
    expect((await house.visitor().post('/api/v1/shared/session', { token: 'x'.repeat(32) })).status).toBe(401);
  });
});

describe('the live stream', () => {
  it('goes on after the id a page had, without a gap, and tells it to start anew after an unknown one', async () => {
    const { key, points } = await house.node('live-1');
    const node = await FakeNode.connect(house.server.mqttPort, 'live-1', key);
    const { body } = await house.maker.get('/api/v1/snapshot');
    const listen = async (headers: Record<string, string>, query = ''): Promise<{ until(text: RegExp): Promise<string>; stop(): void }> => {
      const stop = new AbortController();
      const answer = await fetch(`${house.server.url}/api/v1/live${query}`, {
        headers: { cookie: house.maker.cookie(), ...headers },
        signal: stop.signal,
      });
      let text = '';
      void (async () => {
        for await (const chunk of answer.body as unknown as AsyncIterable<Uint8Array>) text += new TextDecoder().decode(chunk);
      })().catch(() => undefined);
      return {
        until: (wanted) => eventually(() => (wanted.test(text) ? text : null), `${wanted} in the stream`),
        stop: () => stop.abort(),
      };
    };
    const t = Date.now();
    const first = await listen({}, `?from=${body.live}`);
    await node.up([{ n: 'temperature', t: t / 1000, v: 20.001 }]);
    const seen = await first.until(/20\.001/);
    const id = [...seen.matchAll(/^id: (\S+)$/gm)].at(-1)![1]!;
    first.stop();
    for (let i = 1; i <= 40; i++) await node.up([{ n: 'temperature', t: t / 1000 + i / 10, v: 21 + i / 1000 }]);
    const second = await listen({ 'last-event-id': id });
    const caught = await second.until(/21\.04/);
    second.stop();
    const got = [...caught.matchAll(new RegExp(`\\[${points['temperature']},\\d+,21(?:\\.(\\d+))?,`, 'g'))].map((m) => m[1]);
    expect(got).toHaveLength(40);
    const lost = await listen({ 'last-event-id': 'abcdef12-5' });
    await lost.until(/event: reset\ndata: "[0-9a-f]{8}-\d+"/);
    lost.stop();
    await node.end();
  });
});

describe('secrets', () => {
  it('sealed text opens with its own key only, and a changed byte is noticed', () => {
    const vault = makeVault('11'.repeat(32));
    const sealed = vault.seal('under the mill wheel');
    expect(vault.open(sealed)).toBe('under the mill wheel');
    expect(vault.seal('under the mill wheel')).not.toBe(sealed);
    expect(() => makeVault('22'.repeat(32)).open(sealed)).toThrow();
    const bytes = Buffer.from(sealed, 'base64');
    bytes[bytes.length - 1]! ^= 1;
    expect(() => vault.open(bytes.toString('base64'))).toThrow();
  });
  it('the passphrase is never given back and lies sealed', async () => {
    const set = (name: string, passphrase: string) => house.maker.replace('/api/v1/networks', { networks: [{ name, passphrase }] });
    expect((await set(' wrenfold', 'under the mill wheel')).body.detail).toMatch(/begins or ends with a space/);
    expect((await set('wrenfold-nodes', 'short')).status).toBe(422);
    expect((await set('wrenfold-nodes', 'another mill wheel')).body).toMatchObject({
      networks: [{ name: 'wrenfold-nodes', passphraseSet: true, open: false, hidden: false }],
    });
    expect(JSON.stringify(await house.database('site_network'))).not.toContain('another mill wheel');
  });
  it('a configuration that is wrong names the variable and what it should be', () => {
    expect(() => readConfig({ DATABASE_URL: 'mysql://x', DEWPOST_HTTP_PORT: '99999' })).toThrow(
      /DATABASE_URL: a PostgreSQL address[\s\S]*DEWPOST_HTTP_PORT/,
    );
  });
});
