import type { LiveEvent } from '@dewpost/contract';
import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { PushService, type Pushed } from '../../standins/src/push-service';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';
import type { Visitor } from './visitor';

/** A push service that others reach, with one browser behind it. */
let server: Server;
let origin: string;
const service = new PushService();
const pushed: (Pushed & { urgency: unknown })[] = [];
/** Who answers for a message, by its signed claims. */
const subjects: unknown[] = [];
let house: House;
beforeAll(async () => {
  server = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      const id = (request.url ?? '').split('/').at(-1) ?? '';
      const taken = service.take(id, request.headers, Buffer.concat(chunks), Date.now());
      const [, claims = ''] = (request.headers.authorization ?? '').split('.');
      subjects.push((JSON.parse(Buffer.from(claims, 'base64url').toString() || '{}') as { sub?: string }).sub);
      if (taken.pushed) pushed.push({ ...taken.pushed, urgency: request.headers['urgency'] });
      response.writeHead(taken.status).end();
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as AddressInfo;
  origin = `http://127.0.0.1:${port}`;
  house = await openHouse({ DEWPOST_OUTGOING_ALLOW: `127.0.0.1:${port}`, DEWPOST_PUBLIC_URL: 'https://mill.example' });
});
afterAll(async () => {
  await house?.close();
  server?.close();
});
const add = (body: object): Promise<{ status: number; body: Body }> => house.maker.post('/api/v1/ways', body);
const test = async (id: number): Promise<Body> => (await house.maker.post(`/api/v1/ways/${id}/test`, {})).body;
const key = async (): Promise<string> => (await house.maker.get('/api/v1/push-key')).body.publicKey as string;
const armed = { side: 'low', setpoint: 50, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, output: null };

describe('a browser that is pushed to', () => {
  // Encrypted as RFC 8291 says and signed as RFC 8292 does: read by the stand-in, which reads the example of RFC 8291.
  it('gets what is said, encrypted for it and signed by the house; its keys are shown to nobody', async () => {
    const { endpoint, keys } = service.subscribe(await key(), origin);
    const { body: way } = await add({ kind: 'push', name: 'Millwright’s phone', endpoint, keys, least: 'warning' });
    expect(way).toMatchObject({ kind: 'push', to: new URL(endpoint).host, secret: null });
    expect(await test(way.id)).toMatchObject({ delivered: true });
    expect(pushed.at(-1)).toEqual({
      title: 'A test, nothing is wrong',
      text: 'millwright tried this way. Nothing has to be done.',
      urgency: 'normal',
    });
    expect(subjects.at(-1)).toBe('https://mill.example/respond/alerts');
    const shown = JSON.stringify((await house.maker.get('/api/v1/ways')).body);
    expect(shown).not.toContain(keys.auth);
    expect(shown).not.toContain(endpoint.split('/').at(-1));
    expect(JSON.stringify(await house.database('way').select('*'))).not.toContain(keys.auth);

    const { id, key: nodeKey, points } = await house.node('pushed-1');
    const link = await FakeNode.connect(house.server.mqttPort, id, nodeKey);
    await house.maker.post('/api/v1/thresholds', { ...armed, severity: 'critical', point: points['humidity'] });
    await link.say(45);
    await eventually(() => pushed.length === 2, 'the alert was pushed');
    expect(pushed[1]).toMatchObject({ urgency: 'high', text: expect.stringContaining('45') as string });
    await link.end();
  });
  it('one that has unsubscribed is not tried again, and it says what to do; what is no subscription is refused', async () => {
    const { endpoint, keys } = service.subscribe(await key(), origin);
    const { body: way } = await add({ kind: 'push', name: 'Old phone', endpoint, keys, least: 'critical' });
    service.unsubscribe(endpoint.split('/').at(-1)!);
    expect((await test(way.id)).detail).toBe('the browser has ended its subscription: add it again there');
    await house.maker.call('DELETE', `/api/v1/ways/${way.id}`);
    expect((await add({ kind: 'push', name: 'x', endpoint, keys: { ...keys, p256dh: 'short' } })).status).toBe(422);
    const inside = (await add({ kind: 'push', name: 'x', endpoint: 'http://127.0.0.1:1/push', keys, least: 'critical' })).body;
    expect((await test(inside.id)).detail).toMatch(/lies inside the building/);
    await house.maker.call('DELETE', `/api/v1/ways/${inside.id}`);
  });
  it('knows the house by one key, over restarts; its private half is nowhere to be read', async () => {
    const before = await key();
    expect(before).toMatch(/^[\w-]{87}$/);
    await house.restart();
    expect(await key()).toBe(before);
    const [row] = (await house.database('push_identity').select('*')) as Body[];
    expect(Buffer.from(row!['private_sealed'] as string, 'base64')).toHaveLength(12 + 16 + 43);
    expect((await house.keeper.get('/api/v1/push-key')).status).toBe(403);
  });
});

describe('open pages', () => {
  const listen = async (who: Visitor): Promise<{ told: () => Extract<LiveEvent, { type: 'told' }>[]; end(): Promise<void> }> => {
    const answer = await fetch(`${house.server.url}/api/v1/live`, { headers: { cookie: who.cookie() } });
    const reader = answer.body!.getReader();
    let text = '';
    const read = async (): Promise<void> => {
      for (;;) {
        const { done, value } = await reader.read();
        if (done) return;
        text += Buffer.from(value).toString();
      }
    };
    const reading = read().catch(() => undefined);
    return {
      told: () =>
        [...text.matchAll(/^data: (\[.*\])$/gm)]
          .flatMap(([, json]) => JSON.parse(json ?? '[]') as LiveEvent[])
          .filter((event): event is Extract<LiveEvent, { type: 'told' }> => event.type === 'told'),
      end: async () => {
        await reader.cancel();
        await reading;
      },
    };
  };
  it('show what is for whoever is signed in, and nobody else’s; it has arrived once one of them says so', async () => {
    const { body: way } = await add({ kind: 'page', name: 'Phone in the mill', account: 'baker', least: 'critical' });
    expect(way).toMatchObject({ to: 'baker', kind: 'page' });
    const [theirs, mine] = [await listen(house.keeper), await listen(house.maker)];
    const tried = test(way.id);
    await eventually(() => theirs.told().length === 1, 'it is shown');
    const { id } = theirs.told()[0]!.message;
    const taken = async (who: Visitor): Promise<unknown> => (await who.post(`/api/v1/told/${id}`, {})).body;
    // Not confirmed by somebody whom it is not for.
    expect(await taken(house.maker)).toEqual({ awaited: false });
    expect(await taken(house.keeper)).toEqual({ awaited: true });
    expect(await tried).toMatchObject({ delivered: true, detail: 'delivered to baker' });
    expect(mine.told()).toEqual([]);
    expect(await taken(house.keeper)).toEqual({ awaited: false });
    await theirs.end();
    await mine.end();
    expect((await add({ kind: 'page', name: 'x', account: 'nobody' })).status).toBe(422);
  });
});
