import { openHouse, type Answer, type Body, type House } from './house';

const RULE = { side: 'high', setpoint: 80, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
let house: House;
let humidity: number[];
let humidifier: number;
beforeAll(async () => {
  house = await openHouse();
  const nodes = [await house.node('loft-1'), await house.node('loft-2'), await house.node('loft-3')];
  humidity = nodes.map(({ points }) => points['humidity']!);
  humidifier = nodes[0]!.points['humidifier']!;
});
afterAll(() => house?.close());

const all = async (): Promise<Body[]> =>
  ((await house.maker.get('/api/v1/thresholds')).body as Body[]).sort((a, b) => (a.id as number) - (b.id as number));
const arm = (body: object): Promise<Answer> => house.maker.post('/api/v1/thresholds', { ...RULE, point: humidity[0], ...body });

it('one rule is armed on several points, on all of them or none', async () => {
  expect((await arm({ others: [humidity[1], 99_999] })).status).toBe(404);
  expect(await all()).toEqual([]);
  const mixed = await arm({ others: [humidity[1]], output: humidifier });
  expect([mixed.status, mixed.body.detail]).toEqual([422, expect.stringMatching(/switches nothing/)]);
  // A point that is named twice has the rule once.
  const made = await arm({ others: [humidity[1], humidity[2], humidity[0]] });
  expect([made.status, made.body.point]).toEqual([200, humidity[0]]);
  expect((await all()).map(({ point, setpoint }) => [point, setpoint])).toEqual(humidity.map((point) => [point, 80]));
});

it('others are changed along, each by the version that was seen; one that somebody else changed keeps all of them as they were', async () => {
  const [first, second, third] = await all();
  const change = (others: object[]): Promise<Answer> =>
    house.maker.call('PUT', `/api/v1/thresholds/${first.id}`, { ...RULE, setpoint: 70, from: 1, why: 'autumn', others });
  const late = await change([
    { id: second.id, from: 1 },
    { id: third.id, from: 4 },
  ]);
  expect([late.status, late.body.current?.id]).toEqual([409, third.id]);
  expect((await all()).map(({ setpoint, version }) => [setpoint, version])).toEqual([80, 80, 80].map((setpoint) => [setpoint, 1]));
  expect((await change([{ id: second.id, from: 1 }])).status).toBe(200);
  expect((await all()).map(({ setpoint, version }) => [setpoint, version])).toEqual([
    [70, 2],
    [70, 2],
    [80, 1],
  ]);
  expect((await house.maker.get(`/api/v1/thresholds/${second.id}/versions`)).body[0]).toMatchObject({ why: 'autumn', by: 'millwright' });
});
