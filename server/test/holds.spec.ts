import { eventually, FakeNode, logged, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse({}, 'taken as done')));
afterAll(() => house?.close());

describe('while somebody works at a point', () => {
  it('its node reports every five seconds while somebody works at it, and at its own pace again after that', async () => {
    const { key } = await house.node('bed-4', 'Fern house');
    const bed = await FakeNode.connect(house.server.mqttPort, 'bed-4', key);
    const paces: number[] = [];
    bed.client.on('message', (topic, payload) => {
      if (topic.endsWith('/set')) paces.push((JSON.parse(payload.toString()) as { reportSeconds: number }).reportSeconds);
    });
    await bed.client.subscribeAsync('dp/1/bed-4/set', { qos: 1 });
    await house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: ['bed-4'], reportSeconds: 600 });
    await eventually(() => paces.at(-1) === 600, 'its own pace');
    const hold = '/api/v1/points/bed-4/temperature/hold';
    await house.maker.post(hold, { minutes: 30 });
    await eventually(() => paces.at(-1) === 5, 'every five seconds');
    // It is still said to report at its own: nobody takes it for silent sooner.
    const nodes = (await house.maker.get('/api/v1/nodes')).body as Body[];
    expect(nodes.find(({ id }) => id === 'bed-4')?.reportSeconds).toBe(600);
    await house.maker.call('DELETE', hold);
    await eventually(() => paces.at(-1) === 600, 'its own pace again');
    await bed.end();
  });

  it('a point that somebody works at is held: its alert closes, its output goes off, nothing trips, until the time is over', async () => {
    const { key, points: own } = await house.node('bed-3', 'Fern house');
    const pump = await FakeNode.connect(house.server.mqttPort, 'bed-3', key);
    await pump.say(60);
    const rule = { side: 'low', setpoint: 40, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning' };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: own['humidity'], output: own['humidifier'] });
    await pump.say(30);
    await eventually(() => pump.commands.some(({ value }) => value), 'the humidifier to go on');
    const hold = '/api/v1/points/bed-3/humidity/hold';
    expect((await house.keeper.post(hold, { minutes: 30 })).status).toBe(403);
    expect((await house.maker.post(hold, { minutes: 0 })).status).toBe(422);
    const { body } = await house.maker.post(hold, { minutes: 30 });
    expect(body.heldUntil).toBeGreaterThan(Date.now() + 29 * 60_000);
    await eventually(() => pump.commands.at(-1)?.value === false, 'the humidifier to go off');
    const open = async (): Promise<Body[]> =>
      (await house.maker.get('/api/v1/alerts?state=open')).body.filter((alert: Body) => alert.point === own['humidity']);
    expect(await open()).toEqual([]);
    await pump.say(10);
    expect(await open()).toEqual([]);
    expect(pump.commands.at(-1)?.value).toBe(false);
    await logged(house.maker, 'bed-3', /held for 30 min by millwright: somebody works at humidity/);
    expect((await house.maker.call('DELETE', hold)).body.heldUntil).toBeNull();
    await pump.say(11);
    await eventually(async () => (await open()).length === 1, 'the rule to be judged again');
    // Its end comes by itself as well, and is kept over an end of the server.
    await house.maker.post(hold, { minutes: 1 });
    expect((await house.database('point').where({ id: own['humidity'] }).first('held_until')).held_until).toBeInstanceOf(Date);
    await house.maker.call('DELETE', hold);
    await pump.end();
  });
});
