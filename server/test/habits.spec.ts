import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => {
  house = await openHouse({}, 'taken as done', { timezone: 'Europe/London' });
});
afterAll(() => house?.close());

/** Quarters of an hour of so many weeks, each reading the same; as the roll-ups keep them. */
const past = (point: number, weeks: number, value: number): Promise<unknown> =>
  house.database.raw(
    `insert into rollup (point_id, level, at, low, high, total, count, suspect, bad, late, first, first_at, last, last_at)
     select ?, 1, at, ?, ?, ? * 30.0, 30, 0, 0, 0, ?, at, ?, at
     from generate_series(date_bin('15 minutes', now() - make_interval(weeks => ?), '2000-01-01T00:00:00Z'), now() - interval '1 hour', interval '15 minutes') as at`,
    [point, value, value, value, value, value, weeks],
  );
const RULE = { side: 'high', setpoint: 5, deadband: 1, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };

it('what is usual at the hour is learnt from the last weeks; beside it a rule trips, and goes on over a restart', async () => {
  const { id, key, points } = await house.node('loft-1');
  const humidity = points['humidity']!;
  const rule = { ...RULE, point: humidity, judges: { kind: 'usual' } };
  const link = await FakeNode.connect(house.server.mqttPort, id, key, { retry: true });
  await link.say(60);
  // Of two weeks nobody knows what is usual: nothing is armed by chance.
  await past(humidity, 2, 60);
  const early = await house.maker.post('/api/v1/thresholds', rule);
  expect([early.status, early.body.detail]).toEqual([
    422,
    expect.stringMatching(/^What is usual cannot be said yet: [23] weeks of Humidity were read, and it takes 3\.$/),
  ]);
  await house.database('rollup').where({ point_id: humidity }).delete();
  await past(humidity, 6, 60);
  expect((await house.keeper.get('/api/v1/points/loft-1/humidity/habit')).body).toMatchObject({ zone: 'Europe/London' });
  const made = await house.maker.post('/api/v1/thresholds', rule);
  expect([made.status, made.body.judges]).toEqual([200, { kind: 'usual' }]);
  const open = async (): Promise<Body[]> => (await house.maker.get('/api/v1/alerts?state=open')).body;
  await link.say(64.9);
  expect(await open()).toEqual([]);
  await link.say(65);
  await eventually(async () => (await open()).length === 1, 'it trips');
  expect((await open())[0]).toMatchObject({
    ...{ title: 'Humidity above what is usual', value: 5 },
    text: expect.stringMatching(/^At or above \+5\S* % beside what is usual at this hour of the week: \+5\S* % in /) as string,
  });
  await house.restart();
  await eventually(() => link.client.connected, 'back');
  await link.say(60.5);
  await eventually(async () => (await open()).length === 0, 'it clears');
  await link.say(70);
  await eventually(async () => (await open()).length === 1, 'and trips again: what is usual was learnt anew');
  await link.end();
});

it('the side of a departure is its sign, and a contact has no usual hour', async () => {
  const { points } = await house.node('loft-2');
  const refusal = async (over: object): Promise<string> => {
    const { status, body } = await house.maker.post('/api/v1/thresholds', {
      ...RULE,
      point: points['humidity'],
      judges: { kind: 'usual' },
      ...over,
    });
    expect(status).toBe(422);
    return (body as Body).detail as string;
  };
  expect(await refusal({ setpoint: -1 })).toMatch(/0 or more/);
  expect(await refusal({ side: 'low', setpoint: 1 })).toMatch(/0 or less/);
  expect(await refusal({ setpoint: 400 })).toMatch(/more than the sensor measures at all/);
  expect((await house.visitor().get('/api/v1/points/loft-2/humidity/habit')).status).toBe(401);
});
