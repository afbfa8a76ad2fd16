import { bucketOf, rebinned, type Bucket } from '@dewpost/core/series';
import fc from 'fast-check';
import { Marks, SETTLES_MS } from '../src/record/marks';
import { readLevel, readRecord } from '../src/record/read';
import { rollUp } from '../src/record/rollups';
import { FakeNode, openHouse, type Body, type House } from './house';

const ZONE = 'Asia/Kathmandu';
const DAY = 86_400_000;
const QUARTER = 900_000;
/** Three whole days ago, at a quarter of an hour. */
const T0 = Math.floor((Date.now() - 3 * DAY) / QUARTER) * QUARTER;

let house: House;
let link: FakeNode;
let points: Record<string, number>;
beforeAll(async () => {
  house = await openHouse({ DEWPOST_JOBS_BY_CLOCK: '0' }, 'taken as done', { timezone: ZONE });
  const made = await house.node('loft-1', 'Grain loft');
  points = made.points;
  link = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key);
});
afterAll(async () => {
  await link?.end();
  await house?.close();
});

const say = async (name: string, record: readonly { at: number; value: number }[]): Promise<void> => {
  for (let i = 0; i < record.length; i += 200)
    await link.up(record.slice(i, i + 200).map(({ at, value }) => ({ n: name, t: at / 1000, v: value })));
};
const rollAll = async (): Promise<void> => {
  while ((await rollUp(house.database, ZONE, Date.now())) > 0);
};
const QUALITIES = ['good', 'suspect', 'bad'] as const;
/** What the readings say by themselves: the stretches of a level, made here from every stored reading. */
async function byHand(point: number, level: 'minute' | 'quarter'): Promise<Bucket[]> {
  const rows = (await house.database('reading').where({ point_id: point }).orderBy('at')) as {
    at: Date;
    value: number;
    quality: number;
    flags: number;
  }[];
  const buckets = rows.map(({ at, value, quality, flags }) =>
    bucketOf({ at: at.getTime(), value, quality: QUALITIES[quality] ?? 'bad', late: (flags & 1) === 1 }),
  );
  return rebinned(buckets, 0, level === 'minute' ? 60_000 : QUARTER);
}
const near = (buckets: readonly Bucket[]) => buckets.map((bucket) => ({ ...bucket, total: Math.round(bucket.total * 1e6) / 1e6 }));
const whole = { from: T0 - DAY, to: Date.now() + DAY, zone: ZONE, live: null };
const due = async (): Promise<number> => Number((await house.database('rollup_due').count())[0]?.['count']);

describe('stretches of the record', () => {
  it('are those of the readings, before they are rolled up, half way, and after; late and bad ones in their place', async () => {
    const point = points['temperature']!;
    const wave = Array.from({ length: 500 }, (_, i) => ({ at: T0 + i * 97_000, value: 20 + 5 * Math.sin(i / 30) }));
    await say(
      'temperature',
      wave.filter((_, i) => i % 3 > 0),
    );
    const compare = async (): Promise<void> => {
      for (const level of ['minute', 'quarter'] as const) {
        const read = await readLevel(house.database, level, { point, ...whole });
        // Minutes are kept of what reports fast alone; what is due is made from the readings.
        if (level === 'quarter' || (await due()) > 50) expect(near(read)).toEqual(near(await byHand(point, level)));
      }
    };
    await compare();
    await rollAll();
    expect(await due()).toBe(0);
    await compare();
    // In arbitrary order afterwards, one of them out of range.
    await say('temperature', [...wave.filter((_, i) => i % 3 === 0), { at: T0 + 5000, value: 320 }].reverse());
    expect(await due()).toBeGreaterThan(50);
    await compare();
    await rollAll();
    await compare();
    const [first] = await readLevel(house.database, 'quarter', { point, ...whole });
    expect(first).toMatchObject({ bad: 1, count: 10, late: 11 });
  });

  it('days are the site’s own, and the same rolled up or not', async () => {
    const point = points['temperature']!;
    const rolled = await readLevel(house.database, 'day', { point, ...whole });
    // Kathmandu is 5:45 ahead: its days begin at 18:15 of the day before.
    for (const { at } of rolled) expect(new Date(at).toISOString().slice(11, 16)).toBe('18:15');
    const quarters = await byHand(point, 'quarter');
    expect(near(rebinned(quarters, Date.UTC(2020, 0, 1, 18, 15), DAY))).toEqual(near(rolled));
    await house.database.raw(`insert into rollup_due (point_id, at) select point_id, at from rollup where point_id = ? and level = 1`, [
      point,
    ]);
    expect(near(await readLevel(house.database, 'day', { point, ...whole }))).toEqual(near(rolled));
    await rollAll();
    expect(near(await readLevel(house.database, 'day', { point, ...whole }))).toEqual(near(rolled));
  });

  it('any order and batching of the same readings keeps the same stretches', async () => {
    const point = points['humidity']!;
    const from = T0 + DAY;
    await fc.assert(
      fc.asyncProperty(
        fc.uniqueArray(fc.integer({ min: 0, max: 40 }), { minLength: 1, maxLength: 20 }),
        fc.integer({ min: 1, max: 4 }),
        async (places, pieces) => {
          await house.database('reading').where({ point_id: point }).delete();
          await house.database('rollup').where({ point_id: point }).delete();
          const record = places.map((place) => ({ at: from + place * 77_000, value: 40 + place / 10 }));
          for (let piece = 0; piece < pieces; piece++) {
            await say(
              'humidity',
              record.filter((_, i) => i % pieces === piece),
            );
            await rollAll();
          }
          expect(near(await readLevel(house.database, 'quarter', { point, ...whole }))).toEqual(near(await byHand(point, 'quarter')));
        },
      ),
      { numRuns: 12 },
    );
  });

  it('a quarter that still runs is marked once, and not rolled up before it has ended', async () => {
    const now = Date.now();
    const marks = new Marks();
    const reading = { point: { id: 7 }, at: now };
    const [marked] = marks.due([reading], now);
    expect(marked).toEqual({ point: 7, at: Math.floor(now / QUARTER) * QUARTER });
    marks.marked([marked!]);
    expect(marks.due([reading], now)).toEqual([]);
    // Ended, it is marked by each that comes late: a roll-up may have taken the mark by then.
    expect(marks.due([reading], now + QUARTER)).toHaveLength(1);
    expect(marks.due([{ point: { id: 7 }, at: now - QUARTER }], now)).toHaveLength(1);

    await link.up([{ n: 'humidity', t: now / 1000, v: 50 }]);
    const before = await due();
    expect(before).toBeGreaterThan(0);
    expect(await rollUp(house.database, ZONE, Math.floor(now / QUARTER) * QUARTER + QUARTER + SETTLES_MS - 1)).toBe(0);
    expect(await due()).toBe(before);
    const [open] = (
      await readLevel(house.database, 'quarter', { point: points['humidity']!, from: now, to: now, zone: ZONE, live: null })
    ).slice(-1);
    expect(open).toMatchObject({ last: 50 });
  });

  it('another calibration makes its stretches due, and they follow', async () => {
    const point = points['temperature']!;
    await rollAll();
    const before = await readLevel(house.database, 'quarter', { point, ...whole });
    const body = { method: 'offset', captures: [{ raw: 20, reference: 21 }], from: T0 };
    expect((await house.maker.post('/api/v1/points/loft-1/temperature/calibrations', body)).status).toBe(200);
    const after = await readLevel(house.database, 'quarter', { point, ...whole });
    expect(after[3]?.low).toBeCloseTo((before[3]?.low ?? 0) + 1, 9);
    await rollAll();
    expect(near(await readLevel(house.database, 'quarter', { point, ...whole }))).toEqual(near(after));
    await house.maker.call('DELETE', '/api/v1/points/loft-1/temperature/calibrations/1');
    expect(near(await readLevel(house.database, 'quarter', { point, ...whole }))).toEqual(near(before));
  });
});

describe('the record of a point', () => {
  const record = (query: string): Promise<Body> =>
    house.maker.get(`/api/v1/points/loft-1/temperature/record?${query}`).then(({ body }) => body);

  it('is read from the level that its span asks for; extremes are never lost', async () => {
    const short = await record(`from=${T0}&to=${T0 + 3_600_000}&most=600`);
    expect([short.level, short.width]).toEqual([null, 6000]);
    const long = await record(`from=${T0}&to=${T0 + DAY}&most=400`);
    expect(long.level).toBe('quarter');
    expect(Math.max(...long.stretches.map(([, , , high]: number[]) => high))).toBeCloseTo(25, 2);
    const { buckets, width } = await readRecord(house.database, {
      ...whole,
      rawFrom: -Infinity,
      from: T0,
      to: T0 + 3 * DAY,
      point: points['temperature']!,
      most: 40,
      reportSeconds: 30,
    });
    expect([width, buckets.length <= 41]).toEqual([8 * QUARTER, true]);
    expect(long.point).toMatchObject({ name: 'temperature', unit: '°C', uncalibrated: false });
  });

  it('carries the alerts at the point, those that had begun before among them', async () => {
    const rule = { side: 'high', setpoint: 70, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'] });
    await link.up([{ n: 'humidity', t: Date.now() / 1000, v: 80 }]);
    const path = '/api/v1/points/loft-1/humidity/record';
    const { body } = await house.maker.get(`${path}?from=${Date.now() - 1000}&to=${Date.now() + 1000}`);
    expect(body.alerts.map(({ title }: Body) => title)).toEqual(['Humidity too high']);
    expect((await house.maker.get(`${path}?from=${T0}&to=${T0 + 1000}`)).body.alerts).toEqual([]);
  });

  it('a span that cannot be is refused in words; strangers see nothing', async () => {
    const answer = await house.maker.get('/api/v1/points/loft-1/temperature/record?from=soon');
    expect([answer.status, answer.body.detail]).toEqual([422, expect.stringMatching(/query.from: give a time/)]);
    expect((await house.visitor().get('/api/v1/points/loft-1/temperature/record')).status).toBe(401);
  });
});

describe('quality', () => {
  const quality = async (hours = 336): Promise<Body> => (await house.maker.get(`/api/v1/quality?hours=${hours}`)).body;
  const of = async (id: number, hours?: number): Promise<Body> => (await quality(hours)).points.find(({ point }: Body) => point === id);

  it('points by how much is not good, from what was rolled up and what was not, with cause and next step', async () => {
    const point = points['temperature']!;
    const before = await of(point);
    expect(before).toMatchObject({ bad: 1, suspect: 0 });
    // Its last word was ten hours ago: it is silent now.
    expect(before.cause.code).toBe('silent');
    expect(before.missing).toBeGreaterThan(1000);
    await rollAll();
    expect(await of(point)).toMatchObject({ used: before.used, bad: before.bad, late: before.late });
    const { points: all, bins } = await quality();
    const shares = all.map(({ share }: Body) => share);
    expect(shares).toEqual([...shares].sort((a: number, b: number) => b - a));
    for (const { bins: own } of all) for (const [place] of own) expect(place).toBeLessThan(bins);
  });
  it('one value out of range again and again is a wire that is off', async () => {
    const { key, points: own } = await house.node('loft-2', 'Grain loft');
    const other = await FakeNode.connect(house.server.mqttPort, 'loft-2', key);
    const now = Date.now();
    for (let i = 0; i < 20; i++) await other.up([{ n: 'temperature', t: (now - 4000 + i * 100) / 1000, v: i < 8 ? 20 + i / 10 : -127 }]);
    await other.end();
    const found = await of(own['temperature']!, 1);
    expect(found).toMatchObject({ used: 8, bad: 12, cause: { code: 'wire', figure: '\u2212127.0 °C in 12 of 12' } });
    expect(found.share).toBeCloseTo(0.6, 6);
    // Another point of the same node has said nothing, and is not in the list.
    expect(await of(own['humidity']!, 1)).toBeUndefined();
  });
});
