import type { TripTest } from '@dewpost/contract';
import { changeRule, eventually, FakeNode, openHouse, type Body, type House, type Visitor } from './house';

let house: House;
let node: FakeNode;
let points: Record<string, number>;
let rule: Body;
const onOff = (): boolean[] => node.commands.map(({ value }) => value);

beforeAll(async () => {
  house = await openHouse();
  const made = await house.node('loft-1', 'Grain loft');
  points = made.points;
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key, { retry: true });
  rule = (
    await house.maker.post('/api/v1/thresholds', {
      ...{ point: points['humidity'], side: 'low', setpoint: 40, deadband: 5, onDelaySeconds: 600, offDelaySeconds: 600 },
      ...{ severity: 'warning', output: points['humidifier'] },
    })
  ).body;
});
afterAll(async () => {
  await node?.end();
  await house?.close();
});

const begin = (who: Visitor = house.maker, body: object = { clear: true }) => who.post(`/api/v1/thresholds/${rule.id}/trip-test`, body);
const list = async (): Promise<{ running: TripTest | null; rules: Body[]; before: TripTest[] }> =>
  (await house.maker.get('/api/v1/trip-tests')).body;
const own = async (): Promise<Body> => (await list()).rules.find(({ threshold }) => threshold === rule.id);
const inForce = async (): Promise<Body> => ((await house.maker.get('/api/v1/thresholds')).body as Body[]).find(({ id }) => id === rule.id);
const over = (id: number): Promise<TripTest> =>
  eventually(async () => (await list()).before.find((test) => test.id === id), 'the test to be over');
const told = (pattern: RegExp) => house.handset.messages.filter(({ title }) => pattern.test(title));

describe('a trip test', () => {
  it('is for makers, once somebody has said that nobody is in reach, and not before anything was read', async () => {
    expect((await begin(house.keeper)).status).toBe(403);
    expect((await begin(house.maker, {})).status).toBe(422);
    const { status, body } = await begin();
    expect([status, body.detail]).toEqual([409, expect.stringMatching(/loft-1 is not armed/)]);
    expect((await list()).running).toBeNull();
  });

  it('times each leg from reading to read-back, tells people that it is a test, and puts everything back', async () => {
    await node.say(60);
    await eventually(async () => (await own()).hindered === null, 'the rule to be ready');
    expect(await own()).toMatchObject({ how: 'setpoint', setpoint: 60.5, value: 60, last: null, passedAt: null, dueAt: null });
    const { status, body } = await begin();
    expect([status, body.phase, body.setpoint, body.by]).toEqual([200, 'waiting', 60.5, 'millwright']);
    // Without a reading nothing moves.
    expect(onOff()).toEqual([]);
    await node.say(60);
    const test = await over(body.id);
    expect(test.legs.map(({ leg, passed, detail }) => [leg, passed, detail])).toEqual([
      ['sensor', true, null],
      ['rule', true, null],
      ['message', true, null],
      ['output', true, null],
      ['put back', true, null],
    ]);
    expect([test.passed, test.endedWhy, test.output]).toEqual([true, 'every leg has ended', 'Humidifier']);
    expect(onOff()).toEqual([true, false]);
    expect(told(/^Test: Humidity too low/)).toHaveLength(1);
    expect((await inForce()).proofDueAt).toBe((test.endedAt ?? 0) + 180 * 86_400_000);
    expect(await own()).toMatchObject({ passedAt: test.endedAt, dueAt: (test.endedAt ?? 0) + 180 * 86_400_000 });
  });

  it('leaves no alert to act on, no all-clear, and the rule as it was', async () => {
    expect((await house.maker.get('/api/v1/alerts')).body).toEqual([]);
    expect((await house.maker.get('/api/v1/alerts/counts?days=1')).body.count).toBe(0);
    const { setpoint, phase, version } = await inForce();
    expect([setpoint, phase, version]).toEqual([40, 'normal', rule.version]);
    // The same value again: by its own setpoint that is nothing.
    await node.say(60);
    await node.say(41);
    await eventually(async () => (await own()).value === 41, 'the reading to be known');
    expect([onOff(), told(/^Over/)]).toEqual([[true, false], []]);
  });

  it('runs alone, and its rule is not changed or retired under it', async () => {
    await node.say(60);
    await eventually(async () => (await own()).value === 60, 'the reading');
    const { body } = await begin();
    const second = await begin();
    expect([second.status, second.body.detail]).toEqual([409, expect.stringMatching(/is being tested by millwright/)]);
    const changed = await changeRule(house.maker, rule.id, { setpoint: 55 });
    expect([changed.status, changed.body.title]).toEqual([409, 'Being tested']);
    expect((await house.maker.call('DELETE', `/api/v1/thresholds/${rule.id}`)).status).toBe(409);
    // Anybody of the house may stop it.
    const told = node.commands.length;
    const stopped = await house.keeper.call('DELETE', `/api/v1/trip-tests/${body.id}`);
    expect([stopped.status, stopped.body.endedWhy, stopped.body.passed]).toEqual([200, 'stopped by baker', false]);
    await node.say(60);
    await eventually(async () => (await list()).running === null, 'no test');
    expect(node.commands.length).toBe(told);
    expect((await house.keeper.call('DELETE', `/api/v1/trip-tests/${body.id}`)).status).toBe(404);
  });

  it('cut off by a restart is over, not passed, and what it switched on stands down', async () => {
    const before = node.commands.length;
    await node.say(60);
    await eventually(async () => (await own()).hindered === null, 'the rule to be ready');
    // Nobody hears of it: the test waits for its message, with the output on.
    house.handset.off = true;
    const { body } = await begin();
    await node.say(60);
    await eventually(() => node.commands.length > before, 'the output on');
    await house.restart();
    house.handset.off = false;
    const test = await over(body.id);
    expect([test.passed, test.endedWhy]).toEqual([false, 'cut off: the server started anew']);
    expect((await inForce()).phase).toBe('normal');
    const relay = async (): Promise<Body> =>
      ((await house.maker.get('/api/v1/relays')).body as Body[]).find(({ point }) => point === points['humidifier']);
    expect((await relay()).askedBy).toBeNull();
    // Nothing renews it: its lease ends it at the node, whatever else.
    await node.say(60);
    expect(onOff().slice(before)).toEqual([true]);
  });

  it('whose begin the database never answered does not stand in the way of the next', async () => {
    await house.database('trip_test').insert({
      ...{ threshold_id: rule.id, version: 1, title: 'Humidity too low', by_whom: 'millwright', how: 'setpoint', setpoint: 60, value: 59 },
      ...{ begun_at: new Date(), until: new Date() },
    });
    await node.say(60);
    const ready = async (): Promise<boolean> => {
      const hindered: string | null = (await own()).hindered;
      return hindered === null || /runs already/.test(hindered);
    };
    await eventually(ready, 'a known state');
    await house.maker.post(`/api/v1/relays/${points['humidifier']}/switch`, { on: false, reason: 'to be sure' });
    await eventually(async () => (await own()).hindered === null, 'the rule to be ready');
    const { status, body } = await begin();
    expect(status).toBe(200);
    await house.maker.call('DELETE', `/api/v1/trip-tests/${body.id}`);
    expect((await list()).before.filter(({ endedWhy }) => /never began/.test(endedWhy ?? ''))).toHaveLength(1);
  });

  it('gives a guard that holds the output its time: what it held is no fault of the leg', async () => {
    await node.say(60);
    await eventually(async () => (await own()).hindered === null, 'the rule to be ready');
    node.obeys = false;
    const before = node.commands.length;
    const { body } = await begin();
    await node.say(60);
    const told = await eventually(() => node.commands[before], 'the command');
    const answer = { id: told.id, point: told.point, readBack: 'contact' as const };
    node.done({ ...answer, result: 'held', reason: 'min-off', state: false, waitMs: 5000 });
    const leg = async () => (await list()).running?.legs.find((each) => each.leg === 'output');
    await eventually(async () => (await leg())?.limitMs === 8000, 'the leg to have five seconds more');
    expect((await leg())?.ms).toBeNull();
    node.done({ ...answer, result: 'done', reason: 'demand', state: true });
    node.obeys = true;
    await eventually(async () => (await list()).running?.phase === 'putting back' || (await list()).running === null, 'it to be put back');
    const last = await eventually(() => node.commands.find(({ value }, i) => i > before && !value), 'off');
    node.done({ id: last.id, point: last.point, readBack: 'contact', result: 'done', reason: 'demand', state: false });
    expect((await over(body.id)).passed).toBe(true);
  });

  it('is refused with its reason while the output is locked out, or the rule stands in alarm', async () => {
    await eventually(async () => (await own()).hindered === null || /connected|runs already/.test((await own()).hindered), 'a known state');
    await house.maker.post(`/api/v1/relays/${points['humidifier']}/lock`, { minutes: null, reason: 'at the belt' });
    expect((await own()).hindered).toMatch(/locked out by millwright: at the belt/);
    expect((await begin()).status).toBe(409);
    await house.maker.call('DELETE', `/api/v1/relays/${points['humidifier']}/lock`);
    await node.say(39);
    await eventually(async () => /beyond its setpoint/.test((await own()).hindered ?? ''), 'the reason');
  });
});
