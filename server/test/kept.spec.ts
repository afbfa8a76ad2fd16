import { pino } from 'pino';
import { Registry } from '../src/model/registry';
import { Retention } from '../src/kept/retention';
import { readRecord } from '../src/record/read';
import { rollUp } from '../src/record/rollups';
import { Store } from '../src/store/change';
import { ensureMonths } from '../src/database/partitions';
import { markSpan } from '../src/record/marks';
import { eventually, openHouse, type Body, type House } from './house';

const DAY = 86_400_000;
/** So long ago that its month is over by any rule that can be set. */
const OLD = Date.UTC(2025, 0, 10, 8);
const NOW = Date.now();

let house: House;
let point: number;
beforeAll(async () => {
  house = await openHouse({ DEWPOST_JOBS_BY_CLOCK: '0' });
  point = (await house.node('loft-1', 'Grain loft')).points['temperature']!;
  await bring(OLD, 200);
  await bring(NOW - 2 * DAY, 200);
});
afterAll(async () => house?.close());

/** A reading every five minutes, 10 to 19.9. */
const lines = (from: number, count: number): string =>
  Array.from({ length: count }, (_, i) => `${new Date(from + i * 300_000).toISOString()},${10 + (i % 100) / 10}`).join('\n');
async function bring(from: number, count: number): Promise<void> {
  const rows = Array.from({ length: count }, (_, i) => ({ at: from + i * 300_000, value: 10 + (i % 100) / 10 }));
  await ensureMonths(house.database, rows);
  await house
    .database('reading')
    .insert(rows.map(({ at, value }) => ({ point_id: point, at: new Date(at), raw: value, value, quality: 0, flags: 0, reason: 0 })));
  await markSpan(house.database, [point], from, from + count * 300_000);
}
const kept = async (): Promise<Body> => (await house.maker.get('/api/v1/kept')).body;
const count = async (): Promise<number> => Number((await house.database('reading').where({ point_id: point }).count())[0]?.['count']);
const rollAll = async (): Promise<void> => {
  while ((await rollUp(house.database, 'UTC', Date.now())) > 0);
};
const read = (from: number, to: number, rawFrom = -Infinity) =>
  readRecord(house.database, { point, from, to, zone: 'UTC', live: null, most: 4000, reportSeconds: 60, rawFrom });
/** The same rule as the server's, driven by hand. */
const retention = (): { retention: Retention; registry: Registry } => {
  const registry = new Registry();
  const log = pino({ level: 'silent' });
  return {
    registry,
    retention: new Retention({ store: new Store(house.database, log), database: house.database, registry, log, changed: () => undefined }),
  };
};

describe('how long raw readings are kept', () => {
  it('says what is stored by month, and keeps everything until somebody says otherwise', async () => {
    await rollAll();
    const { months, rawFrom, stored, version } = await kept();
    expect([months, rawFrom, version]).toEqual([null, null, 0]);
    expect(stored[0]).toMatchObject({ month: '2025-01', points: 1, days: 2 });
    expect(stored[0].bytes).toBeGreaterThan(8192);
    expect(await retention().retention.drop()).toEqual([]);
  });

  it('lets nothing go that whoever set it has not been shown, and no month that a node may still send to', async () => {
    const put = (body: object) => house.maker.call('PUT', '/api/v1/kept', body);
    expect((await put({ from: 0, months: 1, drops: [] })).body.detail).toMatch(/2 months at least/);
    const unseen = await put({ from: 0, months: 6, drops: [] });
    expect([unseen.status, unseen.body.current.months]).toEqual([409, null]);
    const begun = await put({ from: 7, months: null, drops: [] });
    expect(begun.status).toBe(409);
    expect(await count()).toBe(400);
  });

  it('a month that is not rolled up yet waits; then it goes whole, and its quarters and days stay', async () => {
    const before = await read(OLD, OLD + DAY);
    const minutes = before.buckets.length;
    await house.database.raw('insert into rollup_due (point_id, at) values (?, ?)', [point, new Date(OLD)]);
    await house.database('site').update({ raw_months: 6 });
    const { retention: by, registry } = retention();
    expect(await by.drop()).toEqual([]);
    expect(await count()).toBe(400);

    await rollAll();
    expect(await by.drop()).toEqual(['2025-01']);
    expect(await count()).toBe(200);
    expect(registry.rawFrom).toBe(Date.UTC(2025, 1, 1));
    const after = await read(OLD, OLD + DAY, registry.rawFrom);
    expect(after.level).toBe('quarter');
    const sum = (of: typeof after): number => of.buckets.reduce((total, bucket) => total + bucket.count, 0);
    expect([sum(after), sum(before)]).toEqual([200, 200]);
    expect(after.buckets.length).toBeLessThan(minutes);
    expect([(await kept()).rawFrom, (await kept()).stored[0].month > '2025-01']).toEqual([Date.UTC(2025, 1, 1), true]);
  });

  it('a month that somebody reads is left for the next look', async () => {
    await house.database('site').update({ raw_months: null });
    await bring(Date.UTC(2025, 5, 10), 20);
    await rollAll();
    await house.database('site').update({ raw_months: 6 });
    const reader = await house.database.transaction();
    await reader('reading').where({ point_id: point }).count();
    expect(await retention().retention.drop()).toEqual([]);
    await reader.rollback();
    expect(await retention().retention.drop()).toEqual(['2025-06']);
    await house.database('site').update({ raw_months: null });
  });

  it('a file with lines from before is told so: what was rolled up of a month that has gone stays as it was', async () => {
    const { buckets } = await read(OLD, OLD + DAY, NOW);
    // The server itself drops one, as its rule says, and knows of it.
    await bring(Date.UTC(2025, 6, 10), 20);
    await rollAll();
    const { version, stored } = await kept();
    const drops = ['2025-07'];
    expect(stored[0].month).toBe(drops[0]);
    const set = await house.maker.call('PUT', '/api/v1/kept', { from: version, months: 6, drops });
    expect(set).toMatchObject({ status: 200 });
    await eventually(async () => (await kept()).stored[0].month > '2025-07' || null, 'July 2025 to go');
    expect(await count()).toBe(200);

    const answer = await fetch(`${house.server.url}/api/v1/imports?map=Temp:loft-1/temperature&clock=UTC`, {
      method: 'POST',
      headers: { 'content-type': 'text/csv', cookie: house.maker.cookie() },
      body: `Time,Temp\n${lines(OLD, 3)}\n${lines(NOW - 3 * DAY, 2)}`,
    });
    const { id } = (await answer.json()) as { id: number };
    const gone = await eventually(async () => {
      const { body } = await house.maker.get(`/api/v1/imports/${id}`);
      return ['kept', 'read', 'failed'].includes(body.state as string) ? body : null;
    }, 'the file to be gone through');
    expect(gone.problems).toEqual([expect.objectContaining({ problem: 'gone', count: 3 })]);
    await rollAll();
    expect((await read(OLD, OLD + DAY, NOW)).buckets).toEqual(buckets);
  });
});

describe('what came before a node went live', () => {
  const LIVE = NOW - 2 * DAY + 100 * 300_000;
  const record = async (query = ''): Promise<Body> =>
    (await house.maker.get(`/api/v1/points/loft-1/temperature/record?from=${NOW - 2 * DAY - 1}&to=${NOW}${query}`)).body;
  const used = ({ stretches }: Body): number => stretches.reduce((total: number, row: number[]) => total + row[4]!, 0);

  it('is in no figure, export or rollup, and shown apart where it is asked for', async () => {
    await rollAll();
    expect(used(await record())).toBe(200);
    const live = await house.maker.call('PUT', '/api/v1/nodes/live', { nodes: ['loft-1'], since: LIVE });
    expect(live.body.live).toEqual([{ node: 'loft-1', since: LIVE, trials: expect.any(Number) }]);
    for (const rolled of [false, true]) {
      if (rolled) await rollAll();
      const [plain, both] = [await record(), await record('&trials=yes')];
      expect([used(plain), plain.trials]).toEqual([100, []]);
      expect([used(both), both.trials.reduce((total: number, row: number[]) => total + row[4]!, 0)]).toEqual([100, 100]);
      const days = await house.maker.get(`/api/v1/points/loft-1/temperature/readings?from=${NOW - 4 * DAY}&to=${NOW}&level=day`);
      expect(days.body.readings.length).toBeLessThanOrEqual(2);
      const raw = await house.maker.get(`/api/v1/points/loft-1/temperature/readings?from=${NOW - 4 * DAY}&to=${NOW}&level=raw`);
      expect(raw.body.readings).toHaveLength(100);
    }
    const csv = async (more = ''): Promise<number> =>
      (
        await (
          await fetch(
            `${house.server.url}/api/v1/exports/readings.csv?points=loft-1/temperature&from=${NOW - 2 * DAY - 1}&to=${NOW}${more}`,
            {
              headers: { cookie: house.maker.cookie() },
            },
          )
        ).text()
      )
        .trim()
        .split(/\r\n/).length - 1;
    expect([await csv(), await csv('&trials=yes')]).toEqual([100, 200]);
  });

  it('the marker may be moved, and taken back: nothing of it was lost', async () => {
    const put = (since: number | null) => house.maker.call('PUT', '/api/v1/nodes/live', { nodes: ['loft-1'], since });
    await put(NOW - 2 * DAY + 50 * 300_000);
    await rollAll();
    expect(used(await record())).toBe(150);
    await put(null);
    await rollAll();
    expect(used(await record())).toBe(200);
    expect((await put(NOW + DAY)).body.detail).toMatch(/lies ahead/);
    expect((await house.maker.call('PUT', '/api/v1/nodes/live', { nodes: ['nobody'], since: NOW })).status).toBe(404);
  });

  it('can be deleted, and only that', async () => {
    expect((await house.maker.call('DELETE', '/api/v1/nodes/loft-1/trials')).status).toBe(409);
    await house.maker.call('PUT', '/api/v1/nodes/live', { nodes: ['loft-1'], since: LIVE });
    const before = await count();
    const { removed } = (await house.maker.call('DELETE', '/api/v1/nodes/loft-1/trials')).body;
    expect(removed).toBeGreaterThanOrEqual(100);
    expect(await count()).toBe(before - removed);
    expect(used(await record('&trials=yes'))).toBe(100);
    expect((await kept()).live).toEqual([{ node: 'loft-1', since: LIVE, trials: 0 }]);
  });
});
