import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let [near, far]: FakeNode[] = [];
let points: Record<string, number>;
let others: Record<string, number>;

beforeAll(async () => {
  house = await openHouse();
  const [first, second] = [await house.node('loft-1', 'Grain loft'), await house.node('loft-2', 'Grain loft')];
  [points, others] = [first.points, second.points];
  near = await FakeNode.connect(house.server.mqttPort, 'loft-1', first.key, { retry: true });
  far = await FakeNode.connect(house.server.mqttPort, 'loft-2', second.key, { retry: true });
  await near.say(60);
  await far.say(60);
});
afterAll(async () => {
  await near?.end();
  await far?.end();
  await house?.close();
});

const relays = async (): Promise<Body[]> => (await house.maker.get('/api/v1/relays')).body;
const relay = async (point: number): Promise<Body> => (await relays()).find((one) => one.point === point);

it('everything off at once, by anybody of the house: by hand as by a rule, which switches nothing on until it trips anew', async () => {
  await house.maker.post('/api/v1/thresholds', {
    ...{ point: points['humidity'], side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning' },
    output: points['humidifier'],
  });
  await near?.say(40);
  await house.maker.post(`/api/v1/relays/${others['humidifier']}/switch`, { on: true, seconds: 60, reason: '' });
  await eventually(() => near?.commands.at(-1)?.value === true && far?.commands.at(-1)?.value === true, 'both on');
  await eventually(async () => (await relay(points['humidifier']!)).state === true, 'read back');

  const { status, body } = await house.keeper.post('/api/v1/relays/safe', { reason: 'smoke' });
  expect([status, body.length]).toEqual([200, 2]);
  await eventually(() => near?.commands.at(-1)?.value === false && far?.commands.at(-1)?.value === false, 'both off');
  expect(near?.commands.at(-1)?.reason).toBe('hand');

  // The rule stands still; what it reads switches nothing.
  const told = near?.commands.length;
  await near?.say(39);
  await near?.say(38);
  await eventually(async () => (await house.maker.get('/api/v1/snapshot')).body.latest.some(({ value }: Body) => value === 38), 'read');
  expect([near?.commands.length, (await house.database('demand').whereNull('ended_at')).length]).toEqual([told, 0]);
  const why = await house.database('demand').pluck('ended_why');
  expect(why).toEqual(['off by hand: baker, smoke', 'off by hand: baker, smoke']);
});

it('what an output has done is counted as it is read back, once each, and stays over a restart', async () => {
  const before = (await relay(others['humidifier']!)).wear;
  expect(before).toMatchObject({ starts: 1, onSince: null });
  await house.maker.post(`/api/v1/relays/${others['humidifier']}/switch`, { on: true, seconds: 60, reason: '' });
  await eventually(async () => (await relay(others['humidifier']!)).wear.starts === 2, 'counted');
  far?.done({ id: null, point: 'humidifier', result: 'done', reason: 'demand', state: true, readBack: 'contact' });
  await house.maker.post(`/api/v1/relays/${others['humidifier']}/switch`, { on: false, reason: '' });
  await eventually(async () => (await relay(others['humidifier']!)).wear.onSince === null, 'off');
  const after = (await relay(others['humidifier']!)).wear;
  expect([after.starts, after.since, after.runMs >= before.runMs]).toEqual([2, before.since, true]);
  await house.restart();
  expect((await relay(others['humidifier']!)).wear).toEqual(after);
});
