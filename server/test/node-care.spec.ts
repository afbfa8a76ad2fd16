import { KEPT, tidy } from '../src/compose/housekeeping';
import { eventually, FakeNode, logged, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
afterAll(() => house?.close());

const nodeOf = async (id: string): Promise<Body> => (await house.maker.get('/api/v1/nodes')).body.find((node: Body) => node.id === id);
const patch = (path: string, body: unknown) => house.maker.call('PATCH', path, body);
const dashboards = async (): Promise<Record<string, number[]>> =>
  Object.fromEntries((await house.maker.get('/api/v1/snapshot')).body.dashboards.map(({ name, points }: Body) => [name, points]));

describe('a node in its years', () => {
  it('is renamed and moved: id, key and history stay', async () => {
    const { id, key, points } = await house.node('care-1', 'Cellar');
    const link = await FakeNode.connect(house.server.mqttPort, id, key);
    await link.say(61);
    const name = 'بذور الطابق <b>الأسفل</b>';
    expect((await patch(`/api/v1/nodes/${id}`, { name, room: 'Seed store' })).body).toMatchObject({ id, name, room: 'Seed store' });
    await link.say(62);
    const { body } = await house.maker.get(`/api/v1/points/${id}/humidity/readings`);
    expect(body.readings.map((reading: number[]) => reading[1])).toEqual([61, 62]);
    const rooms = await dashboards();
    expect(rooms['Seed store']).toEqual(expect.arrayContaining(Object.values(points)));
    expect(rooms['Cellar'] ?? []).not.toEqual(expect.arrayContaining([points['humidity']]));
    await logged(house.maker, id, /moved from Cellar to Seed store, by millwright/);
    // An alert speaks of it by its name.
    const rule = { side: 'high', setpoint: 90, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'] });
    await link.say(95);
    expect((await house.maker.get('/api/v1/alerts?state=open')).body[0].text).toContain(`in Seed store (${name})`);
    await link.end();
  });
  it('what it says of its supply and signal is kept over the years: each hello that says something, oldest first, and it goes with what is too old', async () => {
    const { id, key } = await house.node('facts-1');
    const hello = async (said: object): Promise<void> => {
      const link = await FakeNode.connect(house.server.mqttPort, id, key, { hello: false });
      const body = { firmware: 'dewnode 1.0.0', resetReason: 'power-up', points: [], ...said };
      await link.client.publishAsync(`dp/1/${id}/hello`, JSON.stringify(body), { qos: 1 });
      await link.end();
    };
    const facts = async (who = house.keeper): Promise<Body> => (await who.get(`/api/v1/nodes/${id}/facts`)).body;
    await hello({ batteryVolts: 4.05, rssiDbm: -60.6 });
    await hello({});
    await hello({ rssiDbm: -71 });
    const said = await facts();
    expect(said.map(({ volts, rssiDbm }: Body) => [volts, rssiDbm])).toEqual([
      [4.05, -61],
      [null, -71],
    ]);
    expect(said[0].at).toBeLessThan(said[1].at);
    await house
      .database('node_fact')
      .where({ volts: null })
      .update({ at: new Date(Date.now() - (KEPT.factDays + 1) * 86_400_000) });
    await tidy(house.database);
    expect((await facts(house.maker)).map(({ volts }: Body) => volts)).toEqual([4.05]);
    expect((await house.keeper.get('/api/v1/nodes/nobody-1/facts')).status).toBe(404);
  });
  it.each([
    [{}, /a name, a room, or both/],
    [{ name: '  ' }, /give it a name/],
    [{ name: 'x'.repeat(61) }, /60/],
    [{ name: 'two\nlines' }, /one line/],
  ])('%j is refused', async (body, why) => {
    const answer = await patch('/api/v1/nodes/care-1', body);
    expect([answer.status, answer.body.detail]).toEqual([422, expect.stringMatching(why)]);
  });

  it('calls a point by words of its own, that no other of the room carries; and by the sheet’s again', async () => {
    await house.node('care-2', 'Loft');
    await house.node('care-3', 'Loft');
    const label = (id: string, words: string | null) => patch(`/api/v1/nodes/${id}/points/temperature`, { label: words });
    const before = (await house.maker.get('/api/v1/snapshot')).body.points.find((point: Body) => point.node === 'care-2').label;
    expect((await label('care-2', 'Grain, 0.5 m')).body.label).toBe('Grain, 0.5 m');
    const twin = await label('care-3', 'grain, 0.5 m');
    expect([twin.status, twin.body.detail]).toEqual([409, expect.stringMatching(/could not tell them apart/)]);
    expect((await label('care-2', null)).body.label).toBe(before);
    expect((await patch('/api/v1/nodes/care-2/points/nowhere', { label: 'x' })).status).toBe(404);
  });
});

describe('a node that is retired', () => {
  it('goes off first, closes its alerts, loses its key and its address; its readings and alerts stay', async () => {
    const { id, key, points } = await house.node('old-1', 'Press room');
    const link = await FakeNode.connect(house.server.mqttPort, id, key);
    const rule = { side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'critical' };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'], output: points['humidifier'] });
    await link.say(40);
    await eventually(() => link.commands.some(({ value }) => value), 'on');
    const stream = await fetch(`${house.server.url}/api/v1/live`, { headers: { cookie: house.maker.cookie() } });
    expect((await house.maker.post(`/api/v1/nodes/${id}/retire`, {})).status).toBe(200);
    await eventually(() => link.commands.at(-1)?.value === false, 'off before it is cut off');
    await eventually(() => link.closed, 'its link to be closed');
    await expect(FakeNode.connect(house.server.mqttPort, id, key)).rejects.toThrow();
    expect((await house.visitor().call('POST', '/node/v1/up', { humidity: 30 }, { authorization: `Bearer ${key}` })).status).toBe(401);
    expect(await nodeOf(id)).toBeUndefined();
    const alerts = (await house.maker.get('/api/v1/alerts')).body.filter(({ node }: Body) => node === id);
    expect(alerts.map(({ clearedWhy }: Body) => clearedWhy)).toEqual(['node retired']);
    expect((await house.maker.get('/api/v1/thresholds')).body.some(({ point }: Body) => point === points['humidity'])).toBe(false);
    expect((await house.database('reading').where({ point_id: points['humidity'] }).count())[0]).toEqual({ count: 1 });
    expect(Object.keys(await dashboards())).not.toContain('Press room');
    let told = '';
    for await (const chunk of stream.body as unknown as AsyncIterable<Uint8Array>) {
      told += Buffer.from(chunk).toString();
      if (told.includes('"node-retired"')) break;
    }
    // Its id is not given again: its history has it.
    expect((await house.maker.post('/api/v1/nodes', { id, room: 'Loft', buildSheet: 'climate-post' })).status).toBe(409);
  });

  it('not while another’s threshold switches it', async () => {
    const [pump, tank] = [await house.node('pump-1', 'Pit'), await house.node('tank-1', 'Pit')];
    const rule = { side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning' };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: tank.points['humidity'], output: pump.points['humidifier'] });
    const { status, body } = await house.maker.post('/api/v1/nodes/pump-1/retire', {});
    expect([status, body.detail]).toEqual([409, expect.stringMatching(/of tank-1 switches its .*: change that first/)]);
    expect(await nodeOf('pump-1')).toBeDefined();
  });
});
