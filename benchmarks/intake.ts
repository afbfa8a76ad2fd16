// Readings per second from MQTT QoS 1 publishes of 10-record packs through to commit and threshold evaluation, against COPY of as
// many rows into the same table. The readings are as new as what nodes send; what they kept goes another way (`backlog`).
import pg from 'pg';
import { copyLine, copyRows, publishPacks, stretches } from './ingest';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const NODES = 50;
const PACKS = 120;
const RECORDS = 10;
const ROUNDS = 5;
const ROWS = NODES * PACKS * RECORDS;

const rig = await openRig(NODES);
for (const node of rig.nodes) {
  for (const [name, setpoint] of [
    ['temperature', 35],
    ['humidity', 95],
  ] as const) {
    await rig.post('/api/v1/thresholds', {
      point: node.points[name],
      side: 'high',
      setpoint,
      deadband: 1,
      onDelaySeconds: 60,
      offDelaySeconds: 60,
      severity: 'warning',
      confirm: 'readings',
      output: null,
    });
  }
}
const database = new pg.Client({ connectionString: process.env['DATABASE_URL'] });
await database.connect();

const valueOf = (i: number): number => 20 + (i % 40) / 10;
/** A millisecond between two readings of a node: what it sends is as new as live readings are, and newer than all before it. */
const ROUND_MS = PACKS * RECORDS;
const nextStretch = stretches(ROUND_MS);

/** Publishes a round and gives readings per second, from the first publish to the last acknowledgement. */
async function publishRound(from: number): Promise<number> {
  const packs = Array.from({ length: PACKS }, (_, k) =>
    JSON.stringify(
      Array.from({ length: RECORDS }, (_, r) => ({
        n: 'temperature',
        t: (from + k * RECORDS + r) / 1000,
        v: valueOf(k * RECORDS + r),
      })),
    ),
  );
  const began = performance.now();
  await publishPacks(rig.nodes, packs);
  const rate = ROWS / ((performance.now() - began) / 1000);
  const found = await database.query<{ count: string }>('select count(*) from reading where at >= $1 and at < $2', [
    new Date(from),
    new Date(from + ROUND_MS),
  ]);
  if (Number(found.rows[0]?.count) !== ROWS) throw new Error(`${found.rows[0]?.count} of ${ROWS} readings were stored`);
  return rate;
}

/** The same rows, a day earlier in the same table, in one COPY through psql: rows per second. */
async function copyRound(from: number): Promise<number> {
  const lines = rig.nodes.flatMap(({ points }) =>
    Array.from({ length: PACKS * RECORDS }, (_, i) => copyLine(points['temperature'], from + i - 86_400_000, valueOf(i))),
  );
  return ROWS / (await copyRows(lines.join('')));
}

// The first round warms both up and does not count; then they take turns, and the medians are compared.
const first = await nextStretch();
await publishRound(first);
await copyRound(first);
const intake: number[] = [];
const copy: number[] = [];
for (let round = 1; round <= ROUNDS; round++) {
  const from = await nextStretch();
  intake.push(await publishRound(from));
  copy.push(await copyRound(from));
}
await database.end();
await rig.stop();
console.log(machine());
const figures = (values: number[]): string =>
  `${Math.round(percentile(values, 0.5))} (${values.map((v) => Math.round(v / 1000)).join(', ')} thousand)`;
ratio(
  'intake against COPY',
  percentile(intake, 0.5),
  percentile(copy, 0.5),
  { atLeast: 0.4 },
  `${figures(intake)} readings/s against ${figures(copy)} rows/s, ${ROWS} rows a round, ${NODES} nodes, ${RECORDS}-record packs, 2 thresholds a node`,
);
