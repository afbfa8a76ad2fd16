import { FakeNode, openHouse, type Body, type House } from './house';

const T0 = Math.floor(Date.now() / 60_000) * 60_000 - 3_600_000;
let house: House;
let post: FakeNode;
beforeAll(async () => {
  house = await openHouse({ DEWPOST_JOBS_BY_CLOCK: '0' }, 'taken as done');
  const draft = {
    ...{ board: 'wifi-dual-38', supply: 'usb', reportSeconds: 60, eventsPerDay: 0, outdoors: false, cableMetres: 0.5 },
    ...{ fixed: {}, dividers: {} },
    parts: [
      { ref: 'ntc', part: 'thermistor-raw' },
      { ref: 'vane', part: 'wind-vane' },
    ],
  };
  await house.maker.post('/api/v1/build-sheets', { name: 'Roof', draft, base: null });
  const { body } = await house.maker.post('/api/v1/nodes', { id: 'roof-1', room: 'Roof', buildSheet: 'Roof' });
  post = await FakeNode.connect(house.server.mqttPort, 'roof-1', body.key);
});
afterAll(async () => {
  await post?.end();
  await house?.close();
});

const path = (point: string): string => `/api/v1/points/roof-1/${point}`;
const add = (point: string, body: object) => house.maker.post(`${path(point)}/calibrations`, body);
const stored = async (point: string): Promise<number[]> =>
  (await house.maker.get(`${path(point)}/readings?level=raw&from=${T0}`)).body.readings.map((reading: number[]) => reading[1]);
const send = async (point: string, ...raws: number[]): Promise<void> => {
  for (const [i, v] of raws.entries()) await post.up([{ n: point, t: (T0 + i * 60_000) / 1000, v }]);
};
/** 10 kΩ at 25 °C, Beta 3950, to ground behind 10 kΩ from 3.3 V: Ohm's law. */
const millivolts = (celsius: number): number => {
  const ohms = 10_000 * Math.exp(3950 / (celsius + 273.15) - 3950 / 298.15);
  return Math.round((3300 * ohms) / (ohms + 10_000));
};
const BETA = { kind: 'beta', supply: 3300, seriesOhms: 10_000, atTwentyFive: 10_000, beta: 3950, tolerancePercent: 1 };

describe('a point that follows a law', () => {
  it('is told in millivolts, then in degrees by its datasheet alone: what is stored and what comes', async () => {
    await send('temperature', ...[5, 20, 40].map(millivolts));
    expect(await stored('temperature')).toEqual([5, 20, 40].map(millivolts));
    const { status, body } = await add('temperature', { method: 'law', captures: [], law: BETA, recipe: 'beta' });
    expect([status, body.words, body.law, body.reconverted]).toEqual([200, '10000 Ω at 25 °C, Beta 3950 K', BETA, 3]);
    for (const [i, celsius] of [5, 20, 40].entries()) expect(Math.abs((await stored('temperature'))[i]! - celsius)).toBeLessThan(0.05);
    await post.up({ temperature: millivolts(20) });
    // By intake and anew by the database to the last digit alike.
    const all = await stored('temperature');
    expect(all.at(-1)).toBe(all[1]);
    const [kept] = (await house.keeper.get(`${path('temperature')}/calibrations`)).body as Body[];
    expect(kept).toMatchObject({ method: 'law', law: BETA, captures: [], recipe: 'beta' });
  });

  it.each([
    [{ method: 'law', captures: [], law: null }, /a law goes with the method law/],
    [{ method: 'offset', captures: [{ raw: 1, reference: 2 }], law: BETA }, /a law goes with the method law/],
    [{ method: 'law', captures: [], law: { ...BETA, beta: 3 } }, /beta/],
    [{ method: 'offset', captures: [] }, /capture at least one value/],
    [{ method: 'law', captures: [], law: { kind: 'three', supply: 3300, seriesOhms: 10_000 } }, /Three captures make it/],
  ])('%j is refused in words', async (body, why) => {
    const answer = await add('temperature', body);
    expect([answer.status, answer.body.detail]).toEqual([422, expect.stringMatching(why)]);
  });
});

describe('a vane', () => {
  it('is turned to its north: what is stored and what comes begin anew past 360°, and withdrawn all is as before', async () => {
    await send('wind-direction', 350, 10, 200);
    const { body } = await add('wind-direction', { method: 'offset', captures: [{ raw: 0, reference: 20 }], from: T0, recipe: 'north' });
    expect(body.coefficients).toEqual({ gain: 1, offset: 20, curve: { turn: 360 } });
    expect(await stored('wind-direction')).toEqual([10, 30, 220]);
    await post.up({ 'wind-direction': 355 });
    expect((await stored('wind-direction')).at(-1)).toBe(15);
    await house.maker.call('DELETE', `${path('wind-direction')}/calibrations/${body.version as number}`);
    expect((await stored('wind-direction')).slice(0, 3)).toEqual([350, 10, 200]);
  });
});

describe('a tank', () => {
  it('is computed by a strapping table, which is kept with its version; one that turns back is refused', async () => {
    await send('wind-direction', 0);
    const inputs = [{ node: 'roof-1', point: 'wind-direction' }];
    const make = (pairs: number[][], formula = 'tank-table') =>
      house.maker.post('/api/v1/computed', { label: 'Tank', room: 'Roof', formula, inputs, pairs });
    const wrong = await make([
      [0, 0],
      [40, 180],
    ]);
    // A direction is no level.
    expect([wrong.status, wrong.body.detail]).toEqual([422, expect.stringMatching(/wanted in cm/)]);
    const level = await house.maker.post('/api/v1/sources', {
      name: 'Tank',
      room: 'Roof',
      points: [{ name: 'level', label: 'Level', unit: 'cm' }],
    });
    expect(level.status).toBe(200);
    inputs.splice(0, 1, { node: level.body.id, point: 'level' });
    const turned = await make([
      [0, 10],
      [40, 9],
    ]);
    expect([turned.status, turned.body.detail]).toEqual([422, expect.stringMatching(/Row 2 of the table/)]);
    const made = await make([
      [0, 0],
      [40, 180],
      [90, 480],
    ]);
    expect([made.status, made.body.pairs]).toEqual([
      200,
      [
        [0, 0],
        [40, 180],
        [90, 480],
      ],
    ]);
    expect(
      (
        await make(
          [
            [0, 0],
            [1, 1],
          ],
          'tank-box',
        )
      ).body.detail,
    ).toMatch(/follows no table/);
    await house.restart();
    const [kept] = (await house.keeper.get('/api/v1/computed')).body as Body[];
    expect(kept!['pairs']).toEqual([
      [0, 0],
      [40, 180],
      [90, 480],
    ]);
  });
});
