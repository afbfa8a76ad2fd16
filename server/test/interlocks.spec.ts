import { eventually, FakeNode, openHouse, type Answer, type Body, type House } from './house';

let house: House;
let [fan, fogger]: FakeNode[] = [];
let points: Record<string, number>;
let others: Record<string, number>;

beforeAll(async () => {
  house = await openHouse();
  const [first, second] = [await house.node('fan-1', 'Cellar'), await house.node('fog-1', 'Cellar')];
  [points, others] = [first.points, second.points];
  fan = await FakeNode.connect(house.server.mqttPort, 'fan-1', first.key, { retry: true });
  fogger = await FakeNode.connect(house.server.mqttPort, 'fog-1', second.key, { retry: true });
  await fan.say(60);
  await fogger.say(60);
});
afterAll(async () => {
  await fan?.end();
  await fogger?.end();
  await house?.close();
});

const [winner, loser] = [() => points['humidifier']!, () => others['humidifier']!];
const add = (a: number, b: number, by = house.maker): Promise<Answer> => by.post('/api/v1/interlocks', { winner: a, loser: b });
const hand = (point: number, on: boolean): Promise<Answer> =>
  house.keeper.post(`/api/v1/relays/${point}/switch`, on ? { on, seconds: 60, reason: '' } : { on, reason: '' });
const relay = async (point: number): Promise<Body> =>
  ((await house.maker.get('/api/v1/relays')).body as Body[]).find((one) => one.point === point);
const last = (node: FakeNode | undefined): boolean | undefined => node?.commands.at(-1)?.value;
let id: number;

it('is laid by a maker, of two outputs, and never round', async () => {
  expect((await add(winner(), loser(), house.keeper)).status).toBe(403);
  expect((await add(winner(), points['humidity']!)).status).toBe(404);
  expect((await add(winner(), winner())).status).toBe(422);
  const { status, body } = await add(winner(), loser());
  expect([status, body]).toEqual([200, [{ id: expect.any(Number), winner: winner(), loser: loser(), by: 'millwright' }]]);
  id = body[0].id;
  expect([(await add(winner(), loser())).status, (await add(loser(), winner())).body.detail]).toEqual([
    409,
    expect.stringMatching(/circle/),
  ]);
});

it('the winner ousts the other, and goes on only once that has read off; the other waits, and says for whom', async () => {
  await hand(loser(), true);
  await eventually(async () => (await relay(loser())).state === true, 'the fogger runs');
  await hand(winner(), true);
  await eventually(() => last(fan) === true, 'the fan is told on');
  // The fogger was told off, and had read off, before.
  expect(last(fogger)).toBe(false);
  expect((await relay(loser())).heldOffBy).toBe('Humidifier of fan-1');
  // By whatever hand: it stays off while the winner is wanted.
  const told = fogger?.commands.filter(({ value }) => value).length;
  await hand(loser(), true);
  expect(fogger?.commands.filter(({ value }) => value).length).toBe(told);
  await hand(winner(), false);
  await eventually(() => last(fogger) === true, 'the fogger goes on once the fan is off');
  expect((await relay(loser())).heldOffBy).toBeNull();
});

it('over a restart it stands; taken off, both may run', async () => {
  await house.restart();
  expect((await house.maker.get('/api/v1/interlocks')).body).toHaveLength(1);
  await eventually(async () => (await hand(winner(), true)).status === 200, 'asked');
  await eventually(() => last(fan) === true, 'the fan');
  expect((await house.keeper.call('DELETE', `/api/v1/interlocks/${id}`)).status).toBe(403);
  expect((await house.maker.call('DELETE', `/api/v1/interlocks/${id}`)).body).toEqual([]);
  await hand(loser(), true);
  await eventually(async () => (await relay(loser())).heldOffBy === null && last(fogger) === true, 'both');
  expect((await house.maker.call('DELETE', `/api/v1/interlocks/${id}`)).status).toBe(404);
});
