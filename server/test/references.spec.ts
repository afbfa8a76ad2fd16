import { FakeNode, openHouse, type Answer, type Body, type House } from './house';

let house: House;
let node: FakeNode;
beforeAll(async () => {
  house = await openHouse();
  const made = await house.node('loft-1', 'Grain loft');
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key);
  await node.say(60);
});
afterAll(async () => {
  await node?.end();
  await house?.close();
});

const DAY = 86_400_000;
const GLASS = {
  ...{ name: 'Glass thermometer', unit: '°C', low: -10, high: 60, uncertainty: 0.1, certificate: 'WM-0412' },
  ...{ certifiedAt: Date.now() - 400 * DAY, dueAt: Date.now() + 30 * DAY },
};
const add = (body: object = {}): Promise<Answer> => house.maker.post('/api/v1/references', { ...GLASS, ...body });
const offset = (body: object): Promise<Answer> =>
  house.maker.post('/api/v1/points/loft-1/temperature/calibrations', {
    method: 'offset',
    captures: [{ reference: 25.2, raw: 25 }],
    ...body,
  });
let glass: Body;

describe('an instrument', () => {
  it('is added by makers, with a range that is one and a name that is free', async () => {
    expect((await house.keeper.post('/api/v1/references', GLASS)).status).toBe(403);
    expect((await add({ high: -10 })).status).toBe(422);
    expect((await add({ uncertainty: -1 })).status).toBe(422);
    expect((await add({ dueAt: GLASS.certifiedAt - DAY })).status).toBe(422);
    glass = (await add()).body;
    expect(glass).toMatchObject({ ...GLASS, madeBy: 'millwright', used: 0 });
    const again = await add({ name: 'glass THERMOMETER' });
    expect([again.status, again.body.errors[0].path]).toEqual([409, 'body.name']);
    expect((await house.keeper.get('/api/v1/references')).body).toEqual([glass]);
  });

  it('vouches for nothing that it cannot show: nothing is kept then', async () => {
    const outside = await offset({ instrument: glass.id, captures: [{ reference: 61, raw: 60 }] });
    expect([outside.status, outside.body.detail]).toEqual([422, expect.stringMatching(/shows -10 to 60 °C: 61 °C is outside/)]);
    const other = await house.maker.post('/api/v1/points/loft-1/humidity/calibrations', {
      ...{ method: 'offset', captures: [{ reference: 50, raw: 48 }], instrument: glass.id },
    });
    expect([other.status, other.body.detail]).toEqual([422, expect.stringMatching(/shows °C, and % is wanted/)]);
    expect((await offset({ instrument: 9999 })).status).toBe(404);
    expect((await house.maker.get('/api/v1/calibrations/records')).body).toEqual([]);
  });

  it('carries its own uncertainty into the calibration, and its name and certificate into the record', async () => {
    const bare = (await offset({})).body;
    const beside = (await offset({ instrument: glass.id })).body;
    expect(beside.uncertainty).toBeGreaterThan(bare.uncertainty);
    expect(beside.uncertainty).toBeGreaterThanOrEqual(0.1);
    expect(beside.instrument).toEqual({ id: glass.id, name: 'Glass thermometer', certificate: 'WM-0412', overdue: false });
    const records: Body[] = (await house.keeper.get('/api/v1/calibrations/records')).body;
    expect(records.map(({ version, instrument, node: of, label }) => [version, instrument?.name ?? null, of, label])).toEqual([
      [2, 'Glass thermometer', 'loft-1', 'Air temperature'],
      [1, null, 'loft-1', 'Air temperature'],
    ]);
    expect((await house.maker.get('/api/v1/references')).body[0].used).toBe(1);
  });

  it('past its own day is still used, and the record says so for good, whatever is renewed later', async () => {
    const renewed = await house.maker.call('PUT', `/api/v1/references/${glass.id}`, { ...GLASS, dueAt: Date.now() - DAY });
    expect(renewed.status).toBe(200);
    expect((await offset({ instrument: glass.id })).body.instrument.overdue).toBe(true);
    await house.maker.call('PUT', `/api/v1/references/${glass.id}`, { ...GLASS, uncertainty: 0.5 });
    const [newest, before]: Body[] = (await house.maker.get('/api/v1/points/loft-1/temperature/calibrations')).body;
    expect([newest.instrument.overdue, before.instrument.overdue]).toEqual([true, false]);
    expect(before.uncertainty).toBeLessThan(0.5);
  });

  it('out of use is offered to nobody, refused for what is new, and stays in what was made beside it', async () => {
    expect((await house.maker.call('DELETE', `/api/v1/references/${glass.id}`)).status).toBe(200);
    expect((await house.maker.call('DELETE', `/api/v1/references/${glass.id}`)).status).toBe(404);
    expect((await house.maker.get('/api/v1/references')).body).toEqual([]);
    expect((await offset({ instrument: glass.id })).status).toBe(404);
    expect((await house.maker.get('/api/v1/calibrations/records')).body[0].instrument.name).toBe('Glass thermometer');
    // Its name is free again.
    expect((await add()).status).toBe(200);
  });
});
