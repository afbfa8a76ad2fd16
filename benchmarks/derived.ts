// Intake as a house has it: quality, a calibration, two derived points and two rules a node, against COPY of the same raw rows into the same
// table. A derived point of the node's own sheet and one that people have computed; it ends when all of both are stored.
import pg from 'pg';
import { copyLine, copyRows, publishPacks, stretches } from './ingest';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const NODES = 50;
const PACKS = 60;
const ROUNDS = 5;
/** Temperature and humidity of five instants: each gives a dew point, and a computed point behind it. */
const INSTANTS = 5;
const SENT = NODES * PACKS * INSTANTS * 2;
const SPAN_MS = PACKS * INSTANTS * 10;

const rig = await openRig(NODES);
const database = new pg.Client({ connectionString: process.env['DATABASE_URL'] });
await database.connect();
const limit = {
  side: 'high',
  deadband: 1,
  onDelaySeconds: 60,
  offDelaySeconds: 60,
  severity: 'warning',
  confirm: 'readings',
  output: null,
};
for (const [i, { id, points }] of rig.nodes.entries()) {
  await rig.post('/api/v1/thresholds', { point: points['temperature'], setpoint: 35, ...limit });
  await rig.post('/api/v1/thresholds', { point: points['humidity'], setpoint: 95, ...limit });
  await rig.post(`/api/v1/points/${id}/temperature/calibrations`, { method: 'offset', captures: [{ raw: 20, reference: 20.3 }] });
  await rig.post('/api/v1/computed', {
    ...{ label: `Water in the air ${i}`, room: 'Workshop', formula: 'absolute-humidity' },
    inputs: [
      { node: id, point: 'temperature' },
      { node: id, point: 'humidity' },
    ],
  });
}
const nextStretch = stretches(SPAN_MS);
const valueOf = (i: number): number => 20 + (i % 40) / 10;
const storedIn = async (from: number): Promise<number> => {
  const { rows } = await database.query<{ count: string }>('select count(*) from reading where at >= $1 and at < $2', [
    new Date(from),
    new Date(from + SPAN_MS),
  ]);
  return Number(rows[0]?.count);
};

/** Raw rows per second, from the first publish until each of them, its dew point and its computed point are stored. */
async function publishRound(from: number): Promise<{ rate: number; acknowledged: number }> {
  const packs = Array.from({ length: PACKS }, (_, k) =>
    JSON.stringify(
      Array.from({ length: INSTANTS }, (_, i) => i).flatMap((i) => {
        const t = (from + (k * INSTANTS + i) * 10) / 1000;
        return [
          { n: 'temperature', t, v: valueOf(k + i) },
          { n: 'humidity', t, v: 55 + (i % 7) },
        ];
      }),
    ),
  );
  const began = performance.now();
  await publishPacks(rig.nodes, packs);
  const acknowledged = SENT / ((performance.now() - began) / 1000);
  while ((await storedIn(from)) < SENT * 2) await new Promise((resolve) => setTimeout(resolve, 20));
  return { rate: SENT / ((performance.now() - began) / 1000), acknowledged };
}

/** The same raw rows, a day earlier, in one COPY through psql: rows per second. */
async function copyRound(from: number): Promise<number> {
  const text = rig.nodes
    .flatMap(({ points }) =>
      Array.from({ length: PACKS * INSTANTS }, (_, i) =>
        (['temperature', 'humidity'] as const).map((name) => copyLine(points[name], from + i * 10 - 86_400_000, valueOf(i))).join(''),
      ),
    )
    .join('');
  return SENT / (await copyRows(text));
}

const first = await nextStretch();
await publishRound(first);
await copyRound(first);
const [all, acknowledged, copy]: [number[], number[], number[]] = [[], [], []];
for (let round = 0; round < ROUNDS; round++) {
  const from = await nextStretch();
  const published = await publishRound(from);
  all.push(published.rate);
  acknowledged.push(published.acknowledged);
  copy.push(await copyRound(from));
}
await database.end();
await rig.stop();
console.log(machine());
const thousands = (values: number[]): string => values.map((value) => (value / 1000).toFixed(1)).join(', ');
ratio(
  'intake with quality, calibration, two derived points and two rules a node against COPY of the raw rows',
  percentile(acknowledged, 0.5),
  percentile(copy, 0.5),
  { atLeast: 0.25 },
  `${thousands(acknowledged)} thousand readings/s acknowledged, ${thousands(all)} until what is computed from them is stored too, against ${thousands(copy)} thousand rows/s; ${SENT} readings a round`,
);
