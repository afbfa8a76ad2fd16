import { resolveSenml } from '@dewpost/core/wire';
import { parse } from 'csv-parse/sync';
import { eventually, FakeNode, logged, openHouse, type Body, type House } from './house';

let house: House;
let link: FakeNode;
let points: Record<string, number>;
const T0 = Math.floor(Date.now() / 60_000) * 60_000 - 3_600_000;
beforeAll(async () => {
  house = await openHouse();
  const made = await house.node('bed-1', 'Fern house');
  points = made.points;
  link = await FakeNode.connect(house.server.mqttPort, 'bed-1', made.key);
  for (let i = 0; i < 10; i++) await link.up([{ n: 'temperature', t: (T0 + i * 60_000) / 1000, v: 20 + i }]);
});
afterAll(async () => {
  await link?.end();
  await house?.close();
});

const path = (point: string, rest = ''): string => `/api/v1/points/bed-1/${point}/calibrations${rest}`;
const add = (body: object, point = 'temperature') => house.maker.post(path(point), body);
const raw = async (from = T0, to = T0 + 3_600_000): Promise<Body> =>
  (await house.maker.get(`/api/v1/points/bed-1/temperature/readings?level=raw&from=${from}&to=${to}`)).body;
const values = async (): Promise<number[]> => (await raw()).readings.map((reading: number[]) => Math.round(reading[1]! * 1000) / 1000);

describe('calibrations', () => {
  it('two points make a line; it is in force from now on, and what is stored stays as it was', async () => {
    const captures = [
      { raw: 0, reference: 1 },
      { raw: 100, reference: 111 },
    ];
    const { status, body } = await add({ method: 'two-point', captures });
    expect([status, body.version, body.coefficients, body.reconverted]).toEqual([200, 1, { gain: 1.1, offset: 1 }, 0]);
    expect(body.uncertainty).toBeGreaterThan(0);
    expect(await values()).toEqual([20, 21, 22, 23, 24, 25, 26, 27, 28, 29]);
    await link.up({ temperature: 20 });
    const { body: now } = await house.maker.get('/api/v1/points/bed-1/temperature/readings?level=raw');
    expect([now.readings.at(-1)[1], now.raw.at(-1)]).toEqual([expect.closeTo(23, 9), [20, 1]]);
  });

  it('from a time in the past: converted anew from the raw values, which never change; withdrawn, all is as before', async () => {
    const before = await raw();
    const { body } = await add({
      method: 'offset',
      captures: [{ raw: 25, reference: 24.5 }],
      from: T0 + 5 * 60_000,
      note: 'beside the hand thermometer',
    });
    expect([body.version, body.reconverted]).toEqual([2, 5]);
    // One reference keeps the slope that is in force.
    expect(await values()).toEqual([20, 21, 22, 23, 24, 24.5, 25.6, 26.7, 27.8, 28.9]);
    const after = await raw();
    expect(after.raw.map(([value]: number[]) => value)).toEqual(before.raw.map(([value]: number[]) => value));
    expect(after.raw.map(([, version]: number[]) => version)).toEqual([0, 0, 0, 0, 0, 2, 2, 2, 2, 2]);
    expect((await house.maker.call('DELETE', path('temperature', '/2'))).body).toEqual({ reconverted: 5, settling: null });
    expect(await raw()).toEqual(before);
    const list = (await house.keeper.get(path('temperature'))).body;
    expect(list.map(({ version, withdrawnBy }: Body) => [version, withdrawnBy])).toEqual([
      [2, 'millwright'],
      [1, null],
    ]);
    expect((await house.maker.call('DELETE', path('temperature', '/2'))).status).toBe(404);
    await logged(house.maker, 'bed-1', /calibration 2 of temperature withdrawn by millwright/);
  });

  it.each([
    ['table', [20, 22, 25, 29], [10, 14, 17, 19]],
    ['quadratic', [20, 22, 25, 29], [1, 9, 24, 50]],
  ])('a curve (%s) converts what is stored and what comes alike; withdrawn, all is as before', async (method, raws, references) => {
    const stored = async (): Promise<number[][]> =>
      (await house.maker.get(`/api/v1/points/bed-1/humidity/readings?level=raw&from=${T0}`)).body.readings;
    for (let i = 0; i < 10; i++) await link.up([{ n: 'humidity', t: (T0 + i * 60_000) / 1000, v: 20 + i }]);
    const before = await stored();
    const captures = raws.map((one, i) => ({ raw: one, reference: references[i]! }));
    const { body } = await add({ method, captures, from: T0 }, 'humidity');
    expect([body.method, body.reconverted, body.coefficients.curve]).toEqual([method, before.length, expect.anything()]);
    const after = await stored();
    for (const [i, one] of raws.entries())
      expect(Math.abs(after[one - 20]![1]! - references[i]!)).toBeLessThan(method === 'table' ? 1e-9 : 0.5);
    // What comes now, at the same raw value, becomes the same to the last digit: by intake, and anew by the database.
    await link.up({ humidity: 23 });
    expect((await stored()).at(-1)![1]).toBe(after[3]![1]);
    expect((await house.maker.call('DELETE', path('humidity', `/${body.version as number}`))).status).toBe(200);
    expect((await stored()).slice(0, before.length)).toEqual(before);
  });
  it('a table that turns back, a curve with three captures, a way that nobody knows: refused in words', async () => {
    const captures = [20, 21, 22].map((one) => ({ raw: one, reference: Math.abs(one - 21) }));
    const said = async (body: object): Promise<string> => ((answer) => `${answer.status} ${answer.body.detail as string}`)(await add(body));
    expect(await said({ method: 'table', captures })).toMatch(/^422 A table rises or falls all the way/);
    expect(await said({ method: 'quadratic', captures })).toMatch(/^422 A parabola wants four captures at least, there are 3/);
    expect((await add({ method: 'offset', captures: captures.slice(0, 1), recipe: 'guesswork' })).body.errors[0].path).toBe('body.recipe');
  });

  it('what was computed from it is computed anew, and is as before once it is withdrawn', async () => {
    const { key } = await house.node('bed-2', 'Fern house');
    const other = await FakeNode.connect(house.server.mqttPort, 'bed-2', key);
    for (let i = 0; i < 3; i++)
      await other.up([
        { n: 'temperature', t: (T0 + i * 1000) / 1000, v: 20 },
        { n: 'humidity', t: (T0 + i * 1000) / 1000, v: 50 },
      ]);
    await other.end();
    const dew = async (): Promise<number[]> =>
      (await house.maker.get(`/api/v1/points/bed-2/dew-point/readings?level=raw&from=${T0}&to=${T0 + 5000}`)).body.readings.map(
        ([, value]: number[]) => Math.round(value! * 100) / 100,
      );
    // WMO-No. 8, Sonntag 1990: 20 °C and 50 % have a dew point of 9.26 °C, 25 °C and 50 % one of 13.85 °C.
    expect(await dew()).toEqual([9.26, 9.26, 9.26]);
    const of = '/api/v1/points/bed-2/temperature/calibrations';
    const { body } = await house.maker.post(of, { method: 'offset', captures: [{ raw: 20, reference: 25 }], from: T0 + 1000 });
    expect(await dew()).toEqual([9.26, 13.85, 13.85]);
    await house.maker.call('DELETE', `${of}/${body.version}`);
    expect(await dew()).toEqual([9.26, 9.26, 9.26]);
  });

  it('what is computed from it, and what it alarms, follow the calibrated value', async () => {
    await add({ method: 'offset', captures: [{ raw: 50, reference: 40 }] }, 'humidity');
    const rule = { side: 'low', setpoint: 45, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'] });
    await link.say(52);
    const [alert] = await eventually(async () => {
      const open = (await house.maker.get('/api/v1/alerts?state=open')).body;
      return open.length > 0 ? open : null;
    }, 'the alert');
    expect(alert.value).toBe(42);
  });

  it.each([
    [
      {
        method: 'two-point',
        captures: [
          { raw: 1, reference: 5 },
          { raw: 1, reference: 6 },
        ],
      },
      /All captures are at one value/,
    ],
    [{ method: 'linear', captures: [{ raw: 1, reference: 5 }] }, /three captures at least/],
    [{ method: 'offset', captures: [] }, /at least one value/],
    [{ method: 'magic', captures: [{ raw: 1, reference: 5 }] }, /method/],
    [{ method: 'offset', captures: [{ raw: 1, reference: 2 }], from: 'soon' }, /give a time/],
  ])('%j is refused in words, and nothing is in force by it', async (body, why) => {
    const before = (await house.maker.get(path('temperature'))).body.length;
    const answer = await add(body);
    expect([answer.status, answer.body.detail]).toEqual([422, expect.stringMatching(why)]);
    expect((await house.maker.get(path('temperature'))).body).toHaveLength(before);
  });

  it('two people calibrating one point: the later is told what the earlier kept', async () => {
    const seen = (await house.maker.get(path('temperature'))).body[0].version;
    const body = { method: 'offset', captures: [{ raw: 20, reference: 20.5 }], after: seen };
    const answers = [await add(body), await add(body)];
    expect(answers.map(({ status }) => status)).toEqual([200, 409]);
    expect(answers[1]!.body.current.version).toBe(seen + 1);
    await house.maker.call('DELETE', path('temperature', `/${seen + 1}`));
  });

  it('is due again when somebody has said so, and withdrawn no more; a point says it to every page', async () => {
    const before = Date.now();
    const made = await house.maker.post('/api/v1/points/bed-1/humidity/calibrations', {
      method: 'offset',
      captures: [{ raw: 50, reference: 51 }],
      dueMonths: 6,
    });
    expect(made.status).toBe(200);
    const days = (made.body.dueAt - before) / 86_400_000;
    expect([days > 180, days < 185]).toEqual([true, true]);
    const due = async (): Promise<number | null> =>
      ((await house.maker.get('/api/v1/snapshot')).body.points as Body[]).find((one) => one.id === points['humidity'])!.calibrationDue as
        number | null;
    expect(await due()).toBe(made.body.dueAt);
    await house.maker.call('DELETE', `/api/v1/points/bed-1/humidity/calibrations/${made.body.version as number}`);
    expect(await due()).toBeNull();
    const wrong = await house.maker.post('/api/v1/points/bed-1/humidity/calibrations', {
      method: 'offset',
      captures: [{ raw: 50, reference: 51 }],
      dueMonths: 0,
    });
    expect([wrong.status, wrong.body.detail]).toEqual([422, expect.stringMatching(/a month at least/)]);
  });
  it('what is computed is not calibrated, and only makers may', async () => {
    expect((await add({ method: 'offset', captures: [{ raw: 1, reference: 2 }] }, 'dew-point')).body.detail).toMatch(
      /calibrate what it is computed from/,
    );
    expect((await house.keeper.post(path('temperature'), { method: 'offset', captures: [{ raw: 1, reference: 2 }] })).status).toBe(403);
    expect((await add({ method: 'offset', captures: [{ raw: 1, reference: 2 }] }, 'nowhere')).status).toBe(404);
  });

  it('a recompute that a crash cut off goes on at the next start', async () => {
    await house.database('calibration').where({ version: 1 }).update({ settled: false });
    await house
      .database('reading')
      .where({ point_id: points['temperature'] })
      .andWhere('at', '>=', new Date(T0 + 3_500_000))
      .update({ value: 0 });
    await house.restart();
    await eventually(async () => (await house.database('calibration').where({ settled: false })).length === 0, 'the rest to be converted');
    const stored = await house.database('reading').where({ point_id: points['temperature'] }).orderBy('at', 'desc').first('raw', 'value');
    expect(stored.value).toBeCloseTo(1.1 * stored.raw + 1, 9);
  });
});

describe('history', () => {
  it('means of minutes, quarters and days of the site leave bad readings out and lose nothing else', async () => {
    const level = async (name: string): Promise<Body> =>
      (await house.maker.get(`/api/v1/points/bed-1/temperature/readings?level=${name}&from=${T0}&to=${T0 + 10 * 60_000}`)).body;
    expect((await level('minute')).readings.map((reading: number[]) => reading[1])).toEqual([20, 21, 22, 23, 24, 25, 26, 27, 28, 29]);
    const quarters = (await level('quarter')).readings;
    expect(quarters.every(([at]: number[]) => at! % 900_000 === 0)).toBe(true);
    expect((await level('day')).readings).toHaveLength(new Date(T0).getUTCDate() === new Date(T0 + 600_000).getUTCDate() ? 1 : 2);
    expect((await house.maker.get('/api/v1/points/bed-1/temperature/readings?level=century')).status).toBe(422);
  });
});

describe('export', () => {
  const csv = async (query: string) => house.keeper.get(`/api/v1/exports/readings.csv?${query}`);
  it('streams readings of several points, raw beside value, as another reader of CSV reads them', async () => {
    const answer = await csv(`points=bed-1/temperature,bed-1/humidity&from=${T0}&to=${Date.now()}`);
    expect([answer.status, answer.headers.get('content-type')]).toEqual([200, expect.stringMatching(/^text\/csv/)]);
    const rows: Record<string, string>[] = parse(answer.body as string, { columns: true });
    expect(rows.slice(0, 2).map(({ point, value, raw: of, quality, unit }) => [point, value, of, quality, unit])).toEqual([
      ['temperature', '20', '20', 'good', '°C'],
      ['temperature', '21', '21', 'good', '°C'],
    ]);
    expect(rows.find((row) => row['point'] === 'humidity' && row['raw'] === '52')).toMatchObject({
      value: '42',
      calibration: expect.stringMatching(/^\d+$/) as string,
    });
    expect(Date.parse(rows[0]!['time']!)).toBe(T0);
  });
  it('tells the same as JSON Lines and as a SenML pack, without what is bad, which a pack has no word for', async () => {
    const as = async (form: string): Promise<{ type: string | null; text: string }> => {
      const query = `points=bed-1/temperature&from=${T0}&to=${Date.now()}`;
      const answer = await fetch(`${house.server.url}/api/v1/exports/readings.${form}?${query}`, {
        headers: { cookie: house.keeper.cookie() },
      });
      return { type: answer.headers.get('content-type'), text: await answer.text() };
    };
    const rows: Record<string, string>[] = parse((await as('csv')).text, { columns: true });
    const lines = await as('jsonl');
    expect(lines.type).toMatch(/^application\/x-ndjson/);
    const objects = lines.text
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as Record<string, unknown>);
    expect(objects.map(({ time, value, quality }) => [time, value, quality])).toEqual(
      rows.map((row) => [row['time'], Number(row['value']), row['quality']]),
    );
    const pack = await as('senml');
    expect(pack.type).toMatch(/^application\/senml\+json/);
    const { records, faults } = resolveSenml(JSON.parse(pack.text));
    expect(faults).toEqual([]);
    const good = rows.filter((row) => row['quality'] !== 'bad');
    expect(records.map(({ n, t, v }) => [n, Math.round((t ?? 0) * 1000), v])).toEqual(
      good.map((row) => ['bed-1:temperature', Date.parse(row['time']!), Number(row['value'])]),
    );
  });
  it('asks for points by name, and refuses what is none', async () => {
    expect((await csv('')).body.detail).toMatch(/name 1 to 200 points/);
    expect((await csv('points=bed-1/nowhere')).status).toBe(404);
    expect((await house.visitor().get('/api/v1/exports/readings.csv?points=bed-1/temperature')).status).toBe(401);
  });
});
