import { connect } from '../server/src/database/connect';
import { ensureMonths } from '../server/src/database/partitions';
import { readRecord } from '../server/src/record/read';
import { rollUp } from '../server/src/record/rollups';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const POINTS = 6;
const DAY = 86_400_000;
const PIXELS = 1500;
const ROUNDS = 5;
const YEAR_ROWS = 525_600;

const rig = await openRig(POINTS);
const url = process.env['DATABASE_URL'] ?? '';
// What is measured here takes longer than the server lets a statement run.
const database = connect(url, 3, 0);
const points = rig.nodes.map(({ points: of }) => of['temperature'] ?? 0);

/** A year of one-minute readings of six points, by the database itself. */
async function fillYear(until: number): Promise<number> {
  const months = Array.from({ length: 14 }, (_, i) => ({ at: until - i * 28 * DAY }));
  await ensureMonths(database, months);
  for (const point of points)
    await database.raw(
      `insert into reading (point_id, at, raw, value, quality, flags, reason)
       select ?, t, v, v, 0, 0, 0 from (
         select t, 20 + 8 * sin(extract(epoch from t) / 13751000) + 3 * sin(extract(epoch from t) / 13751) + random() as v
         from generate_series(to_timestamp(? / 1000.0), to_timestamp(? / 1000.0), interval '1 minute') as t
       ) s on conflict do nothing`,
      [point, until - 365 * DAY, until],
    );
  await database.raw(
    `insert into rollup_due (point_id, at) select point_id, date_bin('15 minutes', at, '2000-01-01') from reading where point_id = any (?) group by 1, 2
     on conflict do nothing`,
    [points],
  );
  await database.raw('analyze reading');
  const began = performance.now();
  while ((await rollUp(database, 'Europe/Berlin', until + DAY)) > 0);
  await database.raw('analyze rollup');
  return performance.now() - began;
}

const timed = async (work: () => Promise<unknown>): Promise<number> => {
  const began = performance.now();
  await work();
  return performance.now() - began;
};

const until = Math.floor(Date.now() / 900_000) * 900_000 - DAY;
const rolled = await fillYear(until);
const [from, width] = [until - 365 * DAY, (365 * DAY) / PIXELS];
const byRecord = (): Promise<unknown> =>
  Promise.all(
    points.map((point) =>
      readRecord(database, {
        point,
        from,
        to: until,
        zone: 'Europe/Berlin',
        live: null,
        most: PIXELS,
        reportSeconds: 60,
        rawFrom: -Infinity,
      }),
    ),
  );
/** The same picture by plain SQL over the raw rows: lowest, mean and highest of each pixel. */
const byScan = (): Promise<unknown> =>
  Promise.all(
    points.map((point) =>
      database.raw(
        `select floor((extract(epoch from at) * 1000 - ?) / ?) as pixel, min(value), avg(value), max(value) from reading
         where point_id = ? and at between to_timestamp(? / 1000.0) and to_timestamp(? / 1000.0) group by 1`,
        [from, width, point, from, until],
      ),
    ),
  );
await byRecord();
await byScan();
const [records, scans]: [number[], number[]] = [[], []];
for (let round = 0; round < ROUNDS; round++) {
  records.push(await timed(byRecord));
  scans.push(await timed(byScan));
}

console.log(machine());
const list = (values: number[]): string => values.map((value) => value.toFixed(0)).join(', ');
ratio(
  'a year of six points to 1 500 pixels against scanning the raw rows',
  percentile(records, 0.5),
  percentile(scans, 0.5),
  { atMost: 0.05 },
  `${list(records)} ms against ${list(scans)} ms, ${POINTS * YEAR_ROWS} readings; rolling all of them up took ${(rolled / 1000).toFixed(0)} s`,
);

// What the page of a point asks for at first, over a day and over the whole year: what the server takes for it.
const [head] = rig.nodes;
const PAGE_MS = 300;
const paints: number[] = [];
for (const days of [1, 365])
  for (let round = 0; round < ROUNDS; round++)
    paints.push(
      await timed(() =>
        rig.call('GET', `/api/v1/points/${head?.id ?? ''}/temperature/record?from=${until - days * DAY}&to=${until}&most=750`),
      ),
    );
ratio(
  'first paint of a point’s page against 300 ms of the server',
  Math.max(...paints),
  PAGE_MS,
  { atMost: 1 },
  `${list(paints)} ms, over a day and over a year`,
);

// A calibration that reaches a year back: all of a point's readings are converted anew from their raw values.
const anew = await timed(async () => {
  const answer = (await rig.post(`/api/v1/points/${head?.id ?? ''}/temperature/calibrations`, {
    ...{ method: 'offset', captures: [{ raw: 20, reference: 20.4 }], from: until - 365 * DAY },
  })) as { reconverted: number };
  // The node itself has sent one reading when it joined.
  if (answer.reconverted < YEAR_ROWS) throw new Error(`${answer.reconverted} readings were converted anew`);
});
const plainUpdate = await timed(() =>
  database.raw(
    'update reading set value = raw + 0.4 where point_id = ? and at between to_timestamp(? / 1000.0) and to_timestamp(? / 1000.0)',
    [points[1] ?? 0, until - 365 * DAY, until],
  ),
);
ratio(
  'a year of one point converted anew against one plain update of as many rows',
  anew,
  plainUpdate,
  { atMost: 3 },
  `${Math.round((YEAR_ROWS / anew) * 1000)} rows/s against ${Math.round((YEAR_ROWS / plainUpdate) * 1000)}, ${YEAR_ROWS} rows`,
);
await database.destroy();
await rig.stop();
