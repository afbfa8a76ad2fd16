import { eventually, FakeNode, logged, openHouse, type Answer, type Body, type House } from './house';

let house: House;
const nodes: Record<string, FakeNode> = {};
beforeAll(async () => {
  house = await openHouse();
  for (const id of ['loft-1', 'loft-2', 'loft-3']) {
    const { key } = await house.node(id, 'Grain loft');
    nodes[id] = await FakeNode.connect(house.server.mqttPort, id, key);
    await nodes[id].say(60);
  }
});
afterAll(async () => {
  await house?.close();
});

const calibrations = async (node: string): Promise<Body[]> =>
  (await house.maker.get(`/api/v1/points/${node}/temperature/calibrations`)).body;
const own = (node: string): Promise<Answer> =>
  house.maker.post(`/api/v1/points/${node}/temperature/calibrations`, { method: 'offset', captures: [{ reference: 25.4, raw: 25 }] });
const copy = (nodes: string[], version = 1, visitor = house.maker): Promise<Answer> =>
  visitor.post(`/api/v1/points/loft-1/temperature/calibrations/${version}/copy`, { nodes });
const confirm = (body: object, node = 'loft-2', version = 1): Promise<Answer> =>
  house.maker.post(`/api/v1/points/${node}/temperature/calibrations/${version}/confirm`, body);
const point = async (node: string): Promise<Body> =>
  (await house.maker.get('/api/v1/snapshot')).body.points.find((each: Body) => each.node === node && each.name === 'temperature');

describe('an inherited calibration', () => {
  it('is copied by makers to like nodes, in force at once, and marked as not confirmed', async () => {
    await own('loft-1');
    expect((await copy(['loft-2'], 1, house.keeper)).status).toBe(403);
    expect((await copy(['loft-2'], 9)).status).toBe(404);
    expect((await copy(['loft-2'])).body).toEqual([{ node: 'loft-2', version: 1, refused: null }]);
    const [inherited] = await calibrations('loft-2');
    const [made] = await calibrations('loft-1');
    expect(inherited).toMatchObject({
      ...{ coefficients: made.coefficients, uncertainty: made.uncertainty, captures: made.captures },
      inherited: { from: 'loft-1, version 1', confirmedAt: null, confirmedBy: null },
    });
    expect([(await point('loft-2')).inherited, (await point('loft-1')).inherited]).toEqual([true, false]);
    await nodes['loft-2']?.say(60);
    const { id } = await point('loft-2');
    const latest = async (): Promise<Body> =>
      (await house.maker.get('/api/v1/snapshot')).body.latest.find((each: Body) => each.point === id);
    await eventually(async () => (await latest())?.value === 25.4, 'the reading, converted');
  });

  it('never takes the place of one that was made there; each node says for itself why it has none', async () => {
    await own('loft-3');
    const { status, body } = await copy(['loft-3', 'loft-1', 'nobody-here']);
    expect([status, body]).toEqual([
      200,
      [
        { node: 'loft-3', version: null, refused: 'it has a calibration of its own: that is kept' },
        { node: 'loft-1', version: null, refused: 'it is the one that it would be copied from' },
        { node: 'nobody-here', version: null, refused: 'it has no such point' },
      ],
    ]);
    expect(await calibrations('loft-3')).toHaveLength(1);
  });

  it('is confirmed by a reference beside it, and not by one that is too far off', async () => {
    await nodes['loft-2']?.say(60);
    const off = await confirm({ shows: 29 });
    expect([off.status, off.body.detail]).toEqual([
      422,
      expect.stringMatching(/reads 25.40 °C, by hand 29.00 °C: 3.60 °C apart, and .* may be/),
    ]);
    expect((await point('loft-2')).inherited).toBe(true);
    const right = await confirm({ shows: 25.4 });
    expect([right.status, right.body.inherited]).toEqual([
      200,
      { from: 'loft-1, version 1', confirmedAt: expect.any(Number) as number, confirmedBy: 'millwright' },
    ]);
    expect((await point('loft-2')).inherited).toBe(false);
    await logged(house.maker, 'loft-2', /inherited calibration 1 of temperature confirmed by millwright/);
    // Once; and what was made here is no matter of confirming.
    expect([(await confirm({ shows: 25.4 })).status, (await confirm({ shows: 25.4 }, 'loft-1')).status]).toEqual([409, 409]);
  });

  it('stays so over a restart', async () => {
    await house.restart();
    expect([(await point('loft-2')).inherited, (await calibrations('loft-2'))[0].inherited.confirmedBy]).toEqual([false, 'millwright']);
  });
});
