import { FakeNode, eventually, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse({ DEWPOST_FIT_SECONDS: '2' }, 'needed')));
afterAll(() => house?.close());

const fit = async (id: string): Promise<Body> => (await house.maker.get(`/api/v1/nodes/${id}/fit`)).body;
const check = (id: string, body: object) => house.keeper.post(`/api/v1/nodes/${id}/fit/checks`, body);
const stateOf = (view: Body, need: string): string => view.needs.find(({ id }: Body) => id === need)?.state;
/** A node that is proved by its readings, and is away again: its level is read off. */
const written = async (id: string): Promise<{ key: string; points: Record<string, number> }> => {
  const made = await house.node(id, 'Fern house');
  const link = await FakeNode.connect(house.server.mqttPort, id, made.key);
  for (const humidity of [60, 60.5, 61]) await link.say(humidity);
  await link.end();
  await eventually(async () => !(await house.maker.get('/api/v1/nodes')).body.find((node: Body) => node.id === id).connected, 'it is away');
  return made;
};

describe('what cannot be proved in place', () => {
  it('is recorded by its reason, and everything is armed but what hangs on it; proved later, that is armed too', async () => {
    const { key, points } = await written('round-1');
    const rule = { side: 'high', setpoint: 80, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'] });
    await house.maker.post('/api/v1/thresholds', { ...rule, setpoint: 20, point: points['temperature'] });
    expect(stateOf(await fit('round-1'), 'supply')).toBeUndefined();
    await check('round-1', { kind: 'signal', dbm: -60 });
    await check('round-1', { kind: 'reading', point: 'temperature', hand: 25, tolerance: 2 });
    const refused = await check('round-1', { kind: 'not-possible', need: 'reading:humidity', because: ' ' });
    expect([refused.status, refused.body.detail]).toEqual([422, expect.stringMatching(/say why/)]);
    expect((await check('round-1', { kind: 'not-possible', need: 'reading:nowhere', because: 'no such thing' })).status).toBe(404);
    const told = await check('round-1', { kind: 'not-possible', need: 'reading:humidity', because: 'no instrument here' });
    expect([stateOf(told.body, 'reading:humidity'), told.body.fittedAt]).toEqual(['not-possible', null]);
    const last = await check('round-1', { kind: 'not-possible', need: 'output:humidifier', because: 'no water yet' });
    expect(last.body.fittedAt).not.toBeNull();
    const node = (await house.maker.get('/api/v1/nodes')).body.find(({ id }: Body) => id === 'round-1');
    expect(node.unproved).toEqual(['humidity', 'humidifier']);

    // Temperature alarms; humidity, which nobody could compare, does not; nor is what was not seen to move switched.
    const link = await FakeNode.connect(house.server.mqttPort, 'round-1', key);
    await link.say(90);
    const open = async (): Promise<string[]> =>
      (await house.maker.get('/api/v1/alerts?state=open')).body.map(({ title }: Body) => title).sort();
    await eventually(async () => (await open()).length > 0, 'an alert');
    expect(await open()).toEqual([expect.stringMatching(/temperature/i)]);
    const hand = await house.keeper.post(`/api/v1/relays/${points['humidifier']}/switch`, { on: true, seconds: 5, reason: 'try' });
    expect([hand.status, hand.body.detail]).toEqual([409, expect.stringMatching(/could not be proved in place/)]);

    // Compared at last: its threshold is armed from now on.
    const compared = await check('round-1', { kind: 'reading', point: 'humidity', hand: 90, tolerance: 5 });
    expect(stateOf(compared.body, 'reading:humidity')).toBe('passed');
    await link.say(91);
    await eventually(async () => (await open()).length === 2, 'the other alert');
    await link.end();
  });

  it('nothing proved at all arms nothing', async () => {
    await written('round-2');
    const { needs } = await fit('round-2');
    for (const { id } of needs) await check('round-2', { kind: 'not-possible', need: id, because: 'cannot be reached' });
    expect((await fit('round-2')).fittedAt).toBeNull();
  });

  it('a part that cannot be right before it is calibrated is asked to follow the hand, not to agree', async () => {
    const draft = {
      board: 'wifi-dual-38',
      supply: 'usb',
      reportSeconds: 60,
      eventsPerDay: 0,
      outdoors: false,
      cableMetres: 0.5,
      fixed: {},
      dividers: {},
      parts: [{ ref: 'bed', part: 'soil-analog' }],
    };
    const saved = await house.maker.post('/api/v1/build-sheets', { name: 'Bed', draft, base: null });
    expect(saved.status).toBe(200);
    const { body } = await house.maker.post('/api/v1/nodes', { id: 'bed-1', room: 'Fern house', buildSheet: 'Bed' });
    const link = await FakeNode.connect(house.server.mqttPort, 'bed-1', body.key);
    const [point] = body.points.filter(({ kind }: Body) => kind === 'measured');
    for (const value of [30, 30.5, 31]) await link.up([{ n: point.name, v: value }]);
    const { needs } = await fit('bed-1');
    expect(needs.map(({ kind }: Body) => kind)).toEqual(['signal', 'self-test']);
    expect((await house.keeper.post('/api/v1/nodes/bed-1/fit/contact', { point: point.name })).status).toBe(200);
    await link.up([{ n: point.name, v: 31.1 }]);
    expect(stateOf(await fit('bed-1'), `self-test:${point.name}`)).toBe('running');
    await link.up([{ n: point.name, v: 55 }]);
    await eventually(async () => stateOf(await fit('bed-1'), `self-test:${point.name}`) === 'passed', 'it follows');
    await link.end();
  });

  it('a value with an instrument is compared, not watched', async () => {
    const { status, body } = await house.keeper.post('/api/v1/nodes/round-1/fit/contact', { point: 'humidity' });
    expect([status, body.detail]).toEqual([409, expect.stringMatching(/compared with a hand instrument/)]);
  });
});
