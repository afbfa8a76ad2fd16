import type { TripTest } from '@dewpost/contract';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let loft: FakeNode;
let weir: FakeNode;
let points: Record<string, number>;
let others: Record<string, number>;

beforeAll(async () => {
  house = await openHouse();
  const [first, second] = [await house.node('loft-1', 'Grain loft'), await house.node('weir-1', 'Weir')];
  [points, others] = [first.points, second.points];
  loft = await FakeNode.connect(house.server.mqttPort, 'loft-1', first.key, { retry: true });
  weir = await FakeNode.connect(house.server.mqttPort, 'weir-1', second.key, { retry: true });
});
afterAll(async () => {
  await loft?.end();
  await weir?.end();
  await house?.close();
});

const add = async (body: object): Promise<Body> => {
  const made = await house.maker.post('/api/v1/thresholds', {
    ...{ point: points['humidity'], side: 'high', deadband: 0, onDelaySeconds: 600, offDelaySeconds: 600, severity: 'warning' },
    ...{ output: null, ...body },
  });
  expect([made.status, made.body.detail]).toEqual([200, undefined]);
  return made.body;
};
const list = async (): Promise<{ running: TripTest | null; rules: Body[]; before: TripTest[] }> =>
  (await house.maker.get('/api/v1/trip-tests')).body;
const provable = async ({ id }: Body): Promise<Body> => (await list()).rules.find(({ threshold }) => threshold === id);
const ready = (rule: Body): Promise<Body> =>
  eventually(async () => ((await provable(rule)).hindered === null ? provable(rule) : null), 'the rule to be ready');
const begin = async (rule: Body): Promise<number> => {
  const { status, body } = await house.maker.post(`/api/v1/thresholds/${rule.id}/trip-test`, { clear: true });
  expect([status, body.detail]).toEqual([200, undefined]);
  return body.id;
};
const over = (id: number): Promise<TripTest> =>
  eventually(async () => (await list()).before.find((test) => test.id === id), 'the test to be over');
const legs = (test: TripTest): string[] => test.legs.filter(({ passed }) => passed).map(({ leg }) => leg);
/** Of rules: a node that has nothing to say for a while is silent by itself. */
const alerts = async (): Promise<Body[]> =>
  ((await house.maker.get('/api/v1/alerts')).body as Body[]).filter(({ kind }) => kind === 'threshold');

describe('a trip test of a rule that judges more than a value', () => {
  it('a difference: the setpoint is put beyond what it comes to now; without the other point it cannot be proved', async () => {
    const rule = await add({ setpoint: 20, judges: { kind: 'difference', point: others['humidity'] } });
    await loft.say(60);
    await eventually(async () => /^of Humidity of weir-1, which it needs/.test((await provable(rule)).hindered), 'the reason');
    await weir.say(55);
    await loft.say(60);
    expect(await ready(rule)).toMatchObject({ how: 'setpoint', value: 5, setpoint: 4.5, low: null, alsoSetpoint: null });
    const id = await begin(rule);
    await loft.say(60);
    const test = await over(id);
    expect([test.passed, legs(test)]).toEqual([true, ['sensor', 'rule', 'message']]);
    expect(await alerts()).toEqual([]);
  });

  it('two conditions: both setpoints are moved for the test, and stand as they were after it', async () => {
    const also = { join: 'and', point: points['temperature'], side: 'high', setpoint: 30 };
    const rule = await add({ setpoint: 80, also });
    await loft.say(60);
    expect(await ready(rule)).toMatchObject({ value: 60, setpoint: 59.5, alsoSetpoint: expect.closeTo(24.4, 1) });
    const id = await begin(rule);
    await loft.say(60);
    const test = await over(id);
    expect([test.passed, legs(test), test.alsoSetpoint]).toEqual([true, ['sensor', 'rule', 'message'], expect.closeTo(24.4, 1)]);
    const inForce = ((await house.maker.get('/api/v1/thresholds')).body as Body[]).find((one) => one.id === rule.id);
    expect(inForce).toMatchObject({ setpoint: 80, also, version: rule.version, phase: 'normal' });
    // Once more the same: by its own figures that is nothing.
    await loft.say(60);
    await eventually(async () => (await provable(rule)).hindered === null, 'the reading');
    expect(await alerts()).toEqual([]);
  });

  it('a silence: no reading has to come, and the next one that does ends nothing but the test', async () => {
    const rule = await add({ setpoint: 600, judges: { kind: 'silence' } });
    await loft.say(60);
    expect(await ready(rule)).toMatchObject({ how: 'setpoint', setpoint: 0.5 });
    const test = await over(await begin(rule));
    expect([test.passed, legs(test)]).toEqual([true, ['rule', 'message']]);
    // Time is looked at two seconds late, so that no reading on its way is overtaken: that is no fault of the leg.
    expect(test.legs[0]).toMatchObject({ leg: 'rule', limitMs: 3000 });
    expect(house.handset.messages.filter(({ title }) => title === 'Test: Humidity not read')).toHaveLength(1);
    expect(await alerts()).toEqual([]);
  });

  it('how often: what comes for the test is not counted after it', async () => {
    const rule = await add({ setpoint: 2, judges: { kind: 'count', level: 70, withinSeconds: 3600 }, onDelaySeconds: 0 });
    await loft.say(60);
    await loft.say(75);
    expect(await ready(rule)).toMatchObject({ value: 1, setpoint: 1 });
    const id = await begin(rule);
    await loft.say(60);
    await loft.say(75);
    expect((await over(id)).passed).toBe(true);
    expect([(await ready(rule)).value, await alerts()]).toEqual([1, []]);
    // What comes now is the second of the two that it takes.
    await loft.say(60);
    await loft.say(75);
    await eventually(async () => (await alerts()).length === 1, 'an alert');
  });
});
