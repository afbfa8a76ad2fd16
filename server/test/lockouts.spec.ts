import { topicOf } from '@dewpost/core/wire';
import { eventually, FakeNode, logged, openHouse, type Body, type House } from './house';

let house: House;
let node: FakeNode;
let points: Record<string, number>;
let output: number;
beforeAll(async () => {
  house = await openHouse();
  const made = await house.node('loft-1', 'Grain loft');
  points = made.points;
  output = points['humidifier']!;
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key, { retry: true });
  await house.maker.post('/api/v1/thresholds', {
    ...{ point: points['humidity'], side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0 },
    ...{ severity: 'warning', output, consequences: ['control'] },
  });
});
afterAll(async () => {
  await node?.end();
  await house?.close();
});

const lock = (body: object, visitor = house.maker) =>
  visitor.post(`/api/v1/relays/${output}/lock`, { minutes: null, reason: 'at the belt', ...body });
const unlock = (visitor = house.maker) => visitor.call('DELETE', `/api/v1/relays/${output}/lock`);
const relay = async (): Promise<Body> => ((await house.maker.get('/api/v1/relays')).body as Body[]).find(({ point }) => point === output);
const lastTold = (): boolean | undefined => node.commands.at(-1)?.value;
const sets = async (): Promise<Body[]> => (await house.maker.get('/api/v1/thresholds')).body;

describe('an output that is locked out', () => {
  it('goes off at once, past its rule and its hand, and nothing switches it on while it is', async () => {
    await node.say(40);
    await eventually(() => lastTold() === true, 'its rule to switch it on');
    const { status, body } = await lock({}, house.keeper);
    expect([status, body.lock]).toEqual([200, { by: 'baker', reason: 'at the belt', since: expect.any(Number) as number, until: null }]);
    await eventually(() => lastTold() === false, 'off');
    const told = node.commands.length;
    // The rule stands, clears and trips again; a hand asks; its node starts anew.
    for (const humidity of [41, 60, 39, 38]) await node.say(humidity);
    const hand = await house.maker.post(`/api/v1/relays/${output}/switch`, { on: true, seconds: 60, reason: 'now' });
    expect([hand.status, hand.body.detail]).toEqual([409, expect.stringMatching(/baker has locked it out: at the belt/)]);
    await node.say(38);
    // What goes to a node keeps its order: after this off nothing of before is still on its way.
    await house.maker.post(`/api/v1/relays/${output}/switch`, { on: false, reason: 'to be sure' });
    await eventually(() => node.commands.length > told, 'the last off');
    expect(node.commands.slice(told).filter(({ value }) => value)).toEqual([]);
    await logged(house.maker, 'loft-1', /humidifier locked out by baker until the lock is taken off: at the belt/);
  });

  it('is so over a restart; another’s lock is not written over, and taken off by its owner or a maker alone', async () => {
    await house.restart();
    await eventually(async () => (await relay()).lock?.by === 'baker' || null, 'the lock to be known');
    expect((await lock({})).status).toBe(409);
    await node.say(37);
    expect(lastTold()).toBe(false);
    const before = node.commands.length;
    expect((await unlock()).body.lock).toBeNull();
    // Nothing starts in that moment: the rule is judged anew, by the next reading.
    expect((await sets()).find((rule) => rule.output === output).phase).toBe('normal');
    expect(node.commands.slice(before).filter(({ value }) => value)).toEqual([]);
    await node.say(37);
    await eventually(() => lastTold() === true, 'its rule to switch it on again');
    expect((await unlock()).status).toBe(404);
    expect((await lock({ reason: 'maker at it' })).status).toBe(200);
    const other = await unlock(house.keeper);
    expect([other.status, other.body.detail]).toEqual([403, expect.stringMatching(/only millwright or a maker/)]);
    expect((await relay()).lock.by).toBe('millwright');
    await unlock();
  });

  it('of two who lock in the same moment one has it, and the other is told', async () => {
    const both = await Promise.all([lock({ reason: 'maker' }), lock({ reason: 'keeper' }, house.keeper)]);
    expect(both.map(({ status }) => status).sort()).toEqual([200, 409]);
    const winner = both[0].status === 200 ? 'millwright' : 'baker';
    expect((await relay()).lock.by).toBe(winner);
    await unlock();
  });

  it('ends by itself where it has an end, over a restart too', async () => {
    expect((await lock({ minutes: 1 })).body.lock.until).toBeGreaterThan(Date.now());
    await house.restart(() =>
      house
        .database('point')
        .where({ id: output })
        .update({ locked_until: new Date(Date.now() + 300) }),
    );
    await eventually(async () => (await relay()).lock === null || null, 'the lock to end');
    await logged(house.maker, 'loft-1', /the lock on humidifier is over: its time is up/);
  });

  it('what cannot be locked is said, and strangers lock nothing', async () => {
    expect((await house.maker.post(`/api/v1/relays/${points['humidity']!}/lock`, { reason: 'x', minutes: null })).status).toBe(404);
    expect((await lock({ reason: ' ' })).body.errors[0].path).toBe('body.reason');
    expect((await lock({ minutes: 0 })).status).toBe(422);
    expect((await house.visitor().post(`/api/v1/relays/${output}/lock`, { reason: 'x', minutes: null })).status).toBe(401);
  });

  it('its node follows no rule of its own for it meanwhile, and is told that rule again after', async () => {
    const made = await house.node('own-1', 'Grain loft');
    const own = await FakeNode.connect(house.server.mqttPort, 'own-1', made.key);
    const told: number[] = [];
    own.client.on('message', (topic, payload) => {
      if (topic.endsWith('/set')) told.push(JSON.parse(payload.toString()).thresholds?.length ?? 0);
    });
    await own.client.subscribeAsync(topicOf('own-1', 'set'), { qos: 1 });
    await own.say(60);
    const rule = { side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning' };
    const pump = made.points['humidifier'];
    await house.maker.post('/api/v1/thresholds', { point: made.points['humidity'], ...rule, output: pump });
    await eventually(() => told.at(-1) === 1, 'its rule');
    await house.maker.post(`/api/v1/relays/${pump}/lock`, { reason: 'at the belt', minutes: null });
    await eventually(() => told.at(-1) === 0, 'no rule of its own');
    await house.maker.call('DELETE', `/api/v1/relays/${pump}/lock`);
    await eventually(() => told.at(-1) === 1, 'its rule again');
    await own.end();
  });
});
