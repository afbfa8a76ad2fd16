import { FakeNode, logged, openHouse, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse({}, 'needed')));
afterAll(() => house?.close());

const WEATHER = {
  name: 'Yard weather',
  room: 'Yard',
  points: [
    { name: 'temperature', label: 'Air temperature', unit: '°C', min: -20, max: 40 },
    { name: 'wind', label: 'Wind', unit: 'm/s', max: 30 },
  ],
};
const post = (key: string, body: string, type = 'application/json') =>
  house.visitor().call('POST', '/node/v1/up', body, { authorization: `Bearer ${key}`, 'content-type': type });
const nodeOf = async (id: string) => (await house.maker.get('/api/v1/nodes')).body.find((node: { id: string }) => node.id === id);

describe('a source', () => {
  it('is made in two fields, posts at once, and is on its room’s dashboard; no bench, no fit', async () => {
    const made = await house.maker.post('/api/v1/sources', WEATHER);
    expect(made.status).toBe(200);
    const { id, key, points } = made.body;
    expect([id, points.map((point: { name: string; max: number }) => [point.name, point.max])]).toEqual([
      'yard-weather',
      [
        ['temperature', 40],
        ['wind', 30],
      ],
    ]);
    expect(await nodeOf(id)).toMatchObject({ kind: 'source', room: 'Yard', state: 'proved', fittedAt: expect.any(Number) as number });
    expect((await post(key, '{"temperature":17.4,"wind":"3.2"}')).body).toMatchObject({ stored: 2, refused: [] });
    const snapshot = (await house.keeper.get('/api/v1/snapshot')).body;
    expect(snapshot.latest.filter((one: { point: number }) => points.some((point: { id: number }) => point.id === one.point))).toHaveLength(
      2,
    );
    expect(snapshot.dashboards.some((one: { name: string }) => one.name === 'Yard')).toBe(true);
    // It speaks MQTT as well, under its own name only.
    const link = await FakeNode.connect(house.server.mqttPort, id, key, { hello: false });
    await link.up({ temperature: 17.5 });
    await link.end();
  });
  it('is armed from the start: a threshold on it trips', async () => {
    const { body } = await house.maker.post('/api/v1/sources', { ...WEATHER, name: 'Mill race gauge' });
    const rule = {
      point: body.points[1].id,
      side: 'high',
      setpoint: 20,
      deadband: 2,
      onDelaySeconds: 0,
      offDelaySeconds: 0,
      severity: 'warning',
      tells: 'alert',
      output: null,
    };
    expect((await house.maker.post('/api/v1/thresholds', rule)).status).toBe(200);
    expect((await post(body.key, '{"wind":25}')).status).toBe(200);
    const alerts = (await house.maker.get('/api/v1/alerts')).body as { node: string; severity: string }[];
    expect(alerts.filter(({ node }) => node === body.id).map(({ severity }) => severity)).toEqual(['warning']);
  });
  it('gets an id from its name: another of the same words gets another, and one without Latin letters gets one too', async () => {
    const ids: string[] = [];
    for (const name of ['Hopper', 'Hopper', 'hopper!', 'مطر', 'A name that goes on for much longer than any id may be'])
      ids.push((await house.maker.post('/api/v1/sources', { name, room: 'Yard' })).body.id);
    expect(new Set(ids).size).toBe(5);
    expect(ids.slice(0, 3)).toEqual(['hopper', 'hopper-2', 'hopper-3']);
    for (const id of ids) expect(id).toMatch(/^[a-z0-9](?:[a-z0-9-]{0,30}[a-z0-9])?$/);
  });
  it('is told of a point that it does not have yet, and has it once it is declared; what it has cannot be declared again', async () => {
    const { id, key } = (await house.maker.post('/api/v1/sources', { name: 'Script', room: 'Yard' })).body;
    const refused = await post(key, '{"gust":8}');
    expect([refused.status, refused.body.refused[0].why]).toEqual([422, expect.stringMatching(/^unknown point/) as string]);
    await logged(house.maker, id, /gust: unknown point/, 'refused');
    const declare = (points: object[]) => house.maker.post(`/api/v1/sources/${id}/points`, { points });
    const gust = { name: 'gust', label: 'Gust', unit: 'm/s', min: 0, max: 40 };
    expect((await declare([gust])).body.map((point: { name: string }) => point.name)).toEqual(['gust']);
    expect((await post(key, '{"gust":8}')).body.stored).toBe(1);
    expect((await declare([gust])).status).toBe(409);
    expect((await declare([{ ...gust, name: 'gust-2', max: 0 }])).body.errors[0].path).toBe('body.points.0.max');
    expect((await declare([])).status).toBe(422);
    expect((await house.maker.post('/api/v1/sources/nobody/points', { points: [gust] })).status).toBe(404);
    // A restart knows as much.
    expect(
      (await house.database('point as p').join('node as n', 'n.id', 'p.node_id').where('n.name', id).select('p.name')).map(
        (row) => row.name,
      ),
    ).toEqual(['gust']);
  });
  it('may be made by makers only, and a node with a board is none', async () => {
    expect((await house.keeper.post('/api/v1/sources', WEATHER)).status).toBe(403);
    expect((await house.visitor().post('/api/v1/sources', WEATHER)).status).toBe(401);
    await house.node('with-board');
    const taken = await house.maker.post('/api/v1/sources/with-board/points', { points: [{ name: 'x', label: 'X', unit: '' }] });
    expect([taken.status, taken.body.detail]).toEqual([422, expect.stringMatching(/has a board/) as string]);
  });
  it('has nothing to write, to configure or to fit: each says so in words, and nothing of it falls over', async () => {
    const { id, key } = (await house.maker.post('/api/v1/sources', { ...WEATHER, name: 'No board' })).body;
    const paths = ['configuration', 'fit', 'report', 'configuration/json'].map((path) => `/api/v1/nodes/${id}/${path}`);
    for (const path of paths) expect([path, (await house.maker.get(path)).status]).toEqual([path, 422]);
    expect((await house.maker.post('/api/v1/provision/runs', { node: id })).status).toBe(422);
    expect((await house.maker.post('/api/v1/provision/elsewhere', { node: id })).status).toBe(422);
    const looked = await house.maker.post('/api/v1/provision/preflight', { nodes: [id] });
    expect(looked.status).toBe(422);
    const { nodes } = (await house.maker.get('/api/v1/addresses')).body as { nodes: { node: string }[] };
    expect(nodes.map(({ node }) => node)).not.toContain(id);
    expect((await house.maker.get('/api/v1/build-sheets')).status).toBe(200);
    // A key that got about is worthless at once; the new one is to be had until it is used.
    await house.maker.post(`/api/v1/nodes/${id}/keys/revoke`, {});
    expect((await post(key, '{"wind":1}')).status).toBe(401);
    const fresh = (await house.maker.call('POST', `/api/v1/nodes/${id}/key`, {})).body.key;
    expect((await post(fresh, '{"wind":1}')).body.stored).toBe(1);
    expect((await house.maker.call('POST', `/api/v1/nodes/${id}/key`, {})).status).toBe(409);
  });
  it('says how it is reached', async () => {
    expect((await house.keeper.get('/api/v1/sources/way')).body).toEqual({
      host: '192.168.7.2',
      httpPort: Number(new URL(house.server.url).port),
      mqttPort: house.server.mqttPort,
    });
  });
});
