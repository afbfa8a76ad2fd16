import { FakeNode, openHouse, type House, type Visitor } from './house';

let house: House;
let onlooker: Visitor;
beforeAll(async () => {
  house = await openHouse();
  await house.node('door-1', 'Loft');
  const { body } = await house.maker.post('/api/v1/shares', { dashboard: 'loft', label: 'for the baker', days: 7 });
  onlooker = house.visitor();
  await onlooker.post('/api/v1/shared/session', { token: body.token });
});
afterAll(() => house.close());

describe('what a link shows', () => {
  it('of two rooms, its own: readings, alerts and relays of the other come in neither the snapshot nor the stream', async () => {
    const [own, other] = [await house.node('door-2', 'Loft'), await house.node('door-3', 'Cold store')];
    const connect = ({ id, key }: { id: string; key: string }) => FakeNode.connect(house.server.mqttPort, id, key);
    const [ours, theirs] = [await connect(own), await connect(other)];
    await ours.say(60);
    await theirs.say(60);
    const stream = await fetch(`${house.server.url}/api/v1/shared/live`, { headers: { cookie: onlooker.cookie() } });
    const rule = { side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'critical' };
    for (const { points } of [other, own])
      await house.maker.post('/api/v1/thresholds', { ...rule, output: points['humidifier'], point: points['humidity'] });
    await theirs.say(41);
    await ours.say(42);
    let streamed = '';
    for await (const chunk of stream.body as unknown as AsyncIterable<Uint8Array>) {
      streamed += Buffer.from(chunk).toString();
      if (/"type":"relay"/.test(streamed) && /"type":"alert"/.test(streamed)) break;
    }
    const events = streamed
      .split('\n')
      .filter((line) => line.startsWith('data: [{'))
      .flatMap(
        (line) =>
          JSON.parse(line.slice(6)) as { type: string; readings?: [number][]; alert?: { point: number }; relay?: { point: number } }[],
      );
    const told = new Set(
      events.flatMap(({ readings, alert, relay }) => [...(readings ?? []).map(([id]) => id), alert?.point ?? relay?.point ?? []].flat()),
    );
    const ids = (points: Record<string, number>): Set<number> => new Set(Object.values(points));
    expect(told.size).toBeGreaterThan(1);
    expect([...told].filter((id) => !ids(own.points).has(id))).toEqual([]);

    const { body: snapshot } = await onlooker.get('/api/v1/shared/snapshot');
    const shown = [
      ...snapshot.points.map((point: { id: number }) => point.id),
      ...snapshot.latest.map((latest: { point: number }) => latest.point),
      ...snapshot.alerts.map((alert: { point: number }) => alert.point),
      ...snapshot.relays.map((relay: { point: number }) => relay.point),
    ];
    expect(snapshot.alerts).toHaveLength(1);
    expect(shown.filter((id) => !ids(own.points).has(id))).toEqual([]);
    expect(JSON.stringify(snapshot)).not.toMatch(/door-2|door-3|millwright|"key/i);
    for (const id of ids(other.points)) expect((await onlooker.get(`/api/v1/shared/readings/${id}`)).status).toBe(404);
    for (const id of ids(own.points)) expect((await onlooker.get(`/api/v1/shared/readings/${id}`)).status).toBe(200);
    await Promise.all([ours.end(), theirs.end()]);
  });

  it('ends with its time: the next request and the next look of its stream are refused', async () => {
    const { body } = await house.maker.post('/api/v1/shares', { dashboard: 'loft', label: 'short', days: 1 });
    const visitor = house.visitor();
    await visitor.post('/api/v1/shared/session', { token: body.token });
    expect((await visitor.get('/api/v1/shared/snapshot')).status).toBe(200);
    await house
      .database('share')
      .where({ id: body.share.id })
      .update({ ends_at: new Date(Date.now() - 1000) });
    expect((await visitor.get('/api/v1/shared/snapshot')).status).toBe(401);
    expect((await house.visitor().post('/api/v1/shared/session', { token: body.token })).status).toBe(401);
  });
});

describe('accounts', () => {
  const enter = async (name: string, password: string): Promise<{ visitor: Visitor; status: number }> => {
    const visitor = house.visitor();
    return { visitor, status: (await visitor.post('/api/v1/session', { name, password })).status };
  };

  it('a maker adds one, sets its password and takes it away; each signs it out everywhere, at once', async () => {
    const added = await house.maker.post('/api/v1/accounts', { name: 'night keeper', role: 'keeper', password: 'first password' });
    expect(added.body.map((one: { name: string }) => one.name)).toContain('night keeper');
    expect(JSON.stringify(added.body)).not.toMatch(/hash|password/);
    expect((await house.maker.post('/api/v1/accounts', { name: 'night keeper', role: 'maker', password: 'first password' })).status).toBe(
      409,
    );
    const first = await enter('night keeper', 'first password');
    const stream = fetch(`${house.server.url}/api/v1/live`, { headers: { cookie: first.visitor.cookie() } }).then((answer) =>
      answer.text(),
    );
    expect((await house.maker.call('PUT', '/api/v1/accounts/night keeper/password', { password: 'second password' })).status).toBe(200);
    expect(await stream).toMatch(/event: ended/);
    expect((await first.visitor.get('/api/v1/nodes')).status).toBe(401);
    expect((await enter('night keeper', 'first password')).status).toBe(401);
    const second = await enter('night keeper', 'second password');
    expect(second.status).toBe(200);
    expect((await house.maker.call('DELETE', '/api/v1/accounts/night keeper')).status).toBe(200);
    expect((await second.visitor.get('/api/v1/nodes')).status).toBe(401);
  });

  it('one’s own password needs the present one; another’s needs a maker; the last maker stays', async () => {
    await house.maker.post('/api/v1/accounts', { name: 'day keeper', role: 'keeper', password: 'first password' });
    const { visitor } = await enter('day keeper', 'first password');
    const elsewhere = await enter('day keeper', 'first password');
    const set = (body: object, name = 'day keeper') => visitor.call('PUT', `/api/v1/accounts/${name}/password`, body);
    expect((await set({ password: 'second password' })).status).toBe(422);
    expect((await set({ present: 'a wrong guess', password: 'second password' })).status).toBe(422);
    expect((await set({ password: 'second password' }, 'millwright')).status).toBe(403);
    expect((await set({ present: 'first password', password: 'second password' })).status).toBe(200);
    expect((await visitor.get('/api/v1/nodes')).status).toBe(200);
    expect((await elsewhere.visitor.get('/api/v1/nodes')).status).toBe(401);
    const { status, body } = await house.maker.call('DELETE', '/api/v1/accounts/millwright');
    expect([status, body.title]).toEqual([409, 'Last maker']);
  });

  it('the role is asked at each request: a maker who is a keeper now arms nothing', async () => {
    await house.maker.post('/api/v1/accounts', { name: 'helper', role: 'maker', password: 'first password' });
    const { visitor } = await enter('helper', 'first password');
    expect((await visitor.get('/api/v1/networks')).status).toBe(200);
    await house.database('account').where({ name: 'helper' }).update({ role: 'keeper' });
    expect((await visitor.get('/api/v1/networks')).status).toBe(403);
  });

  it('wrong tries keep nobody out who has shown who he is, and nobody out elsewhere', async () => {
    await house.maker.post('/api/v1/accounts', { name: 'stormed', role: 'keeper', password: 'first password' });
    const { visitor } = await enter('stormed', 'first password');
    for (let i = 0; i < 12; i++) await house.visitor().post('/api/v1/session', { name: 'stormed', password: `guess number ${i}` });
    expect((await enter('stormed', 'first password')).status).toBe(429);
    expect((await visitor.post('/api/v1/session', { name: 'stormed', password: 'first password' })).status).toBe(200);
  });
});
