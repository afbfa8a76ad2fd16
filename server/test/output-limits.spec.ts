import { eventually, FakeNode, openHouse, type Answer, type Body, type House } from './house';

const NONE = { seconds: null, starts: null, litres: null, meter: null, forbids: [] };
let house: House;
let link: FakeNode;
let pump: number;
let humidity: number;
let water: { key: string; meter: number; gate: number };
beforeAll(async () => {
  house = await openHouse();
  const { key, points } = await house.node('loft-1');
  [pump, humidity] = [points['humidifier']!, points['humidity']!];
  link = await FakeNode.connect(house.server.mqttPort, 'loft-1', key, { retry: true });
  await link.say(60);
  const source = {
    ...{ name: 'Water house', room: 'Yard' },
    points: [
      { name: 'meter', label: 'Water meter', unit: 'm³', min: 0, max: 100_000 },
      { name: 'gate', label: 'Gate', unit: '%', min: 0, max: 100 },
    ],
  };
  const { body } = await house.maker.post('/api/v1/sources', source);
  const [meter, gate] = (body as Body).points.map(({ id }: { id: number }) => id) as number[];
  water = { key: body.key, meter: meter!, gate: gate! };
});
afterAll(async () => {
  await link?.end();
  await house?.close();
});

const pour = async (reading: object): Promise<void> => {
  const headers = { authorization: `Bearer ${water.key}`, 'content-type': 'application/json' };
  expect((await house.visitor().call('POST', '/node/v1/up', JSON.stringify(reading), headers)).status).toBe(200);
};
const relay = async (): Promise<Body> => ((await house.keeper.get('/api/v1/relays')).body as Body[]).find(({ point }) => point === pump);
const limit = async (body: object, by = house.maker): Promise<Answer> =>
  by.call('PUT', `/api/v1/relays/${pump}/limits`, { ...NONE, ...body, from: (await relay()).limits?.version ?? 0 });
const hand = (on: boolean): Promise<Answer> =>
  house.keeper.post(`/api/v1/relays/${pump}/switch`, on ? { on, seconds: 60, reason: '' } : { on, reason: '' });
const reads = (state: boolean): Promise<unknown> =>
  eventually(async () => (await relay()).state === state, `reads ${state ? 'on' : 'off'}`);
const ended = async (): Promise<Body[]> =>
  (await house.maker.get('/api/v1/alerts?state=open')).body.filter(({ kind }: Body) => kind === 'guard-ended');

it('is laid down by a maker, version by version; what could not be kept is refused in words', async () => {
  expect((await limit({ starts: 3 }, house.keeper)).status).toBe(403);
  const detail = async (body: object): Promise<string> => {
    const { status, body: answer } = await limit(body);
    expect(status).toBe(422);
    return (answer as Body).detail as string;
  };
  expect(await detail({ litres: 40 })).toMatch(/choose its point/);
  expect(await detail({ litres: 40, meter: humidity })).toMatch(/reads %: a meter counts l or m³/);
  expect(await detail({ forbids: [{ point: humidity, side: 'high', setpoint: 120 }] })).toMatch(/reads 0 to 100 %/);
  expect(await detail({ forbids: [{ point: pump, side: 'high', setpoint: 1 }] })).toMatch(/does not forbid itself/);
  expect((await limit({ starts: 3 })).body).toMatchObject({ limits: { version: 1, starts: 3 } });
  const late = await house.maker.call('PUT', `/api/v1/relays/${pump}/limits`, { ...NONE, from: 0 });
  expect([late.status, late.body.current.limits.starts]).toEqual([409, 3]);
});

it('starts that are spent keep it off, by hand as by rule; somebody hears of the control that they end', async () => {
  await limit({ starts: 1 });
  await hand(true);
  await reads(true);
  expect(await relay()).toMatchObject({ today: { starts: 1 }, limitedBy: null });
  await hand(false);
  await reads(false);
  const refused = await hand(true);
  expect([refused.status, refused.body.detail]).toEqual([409, 'Humidifier stays off: its 1 starts of the day are spent.']);
  const rule = { side: 'low', setpoint: 50, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'advisory', output: pump };
  const { body: armed } = await house.maker.post('/api/v1/thresholds', { ...rule, point: humidity, consequences: ['control'] });
  const switchedOn = (): number => link.commands.filter(({ value }) => value).length;
  const before = switchedOn();
  await link.say(45);
  await eventually(async () => (await ended()).length === 1, 'somebody hears of it');
  expect((await ended())[0]).toMatchObject({
    title: 'Humidifier stopped before it was done',
    text: expect.stringMatching(/^Its 1 starts of the day are spent; humidity of loft-1 still asks for it\./) as string,
  });
  expect((await relay()).limitedBy).toBe('its 1 starts of the day are spent');
  expect(switchedOn()).toBe(before);
  // It is counted over a restart.
  await house.restart();
  await eventually(() => link.client.connected, 'back');
  await link.say(45);
  expect((await hand(true)).status).toBe(409);
  await limit({ starts: 9 });
  await reads(true);
  await eventually(async () => (await ended()).length === 0, 'and it is over');
  await house.maker.call('DELETE', `/api/v1/thresholds/${armed.id}`);
  await hand(false);
  await reads(false);
});

it('a condition forbids it, also under way and past its minimum time on; what nobody can read forbids as well', async () => {
  await limit({ forbids: [{ point: water.gate, side: 'high', setpoint: 50 }] });
  // Nothing has been read of it yet.
  expect((await hand(true)).body.detail).toMatch(/nobody knows what Gate of Water house reads/);
  await pour({ gate: 10 });
  await hand(true);
  await reads(true);
  await pour({ gate: 80 });
  await reads(false);
  expect(link.commands.at(-1)).toMatchObject({ value: false, reason: 'limit' });
  expect((await relay()).limitedBy).toMatch(/^forbidden: Gate of Water house reads 80/);
  // By somebody’s wish: no alert.
  expect(await ended()).toEqual([]);
  await pour({ gate: 10 });
  await reads(true);
  await hand(false);
  await reads(false);
});

it('litres through a meter since midnight keep it off', async () => {
  await pour({ meter: 12.5 });
  await limit({ litres: 40, meter: water.meter });
  await hand(true);
  await reads(true);
  await pour({ meter: 12.539 });
  expect((await relay()).limitedBy).toBeNull();
  await pour({ meter: 12.54 });
  await reads(false);
  expect((await relay()).limitedBy).toBe('its 40 l of the day are spent');
  await hand(false);
  await limit({});
  expect((await hand(true)).status).toBe(200);
});

it('a hand that switches it on and off and on is asked to wait; off it goes at any time', async () => {
  let answer: Answer;
  do answer = await hand(true);
  while (answer.status === 200);
  expect([answer.status, answer.body.detail]).toEqual([429, expect.stringMatching(/^Switched on by hand 6 times within 60 s: wait \d+ s/)]);
  expect((await hand(false)).status).toBe(200);
});
