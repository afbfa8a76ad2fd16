// Readings per second from MQTT QoS 1 publishes of 10-record packs through to commit and threshold evaluation, against COPY of as
// many rows into the same table. The readings are as new as what nodes send; what they kept goes another way (`backlog`).
import { spawn } from 'node:child_process';
import pg from 'pg';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const NODES = 50;
const PACKS = 120;
const RECORDS = 10;
const UNDER_WAY = 40;
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
let free = Date.now() + 1;

/** From when a round's readings are, ms: up to now, after those of the round before. */
async function nextStretch(): Promise<number> {
  const from = free;
  free += ROUND_MS;
  while (Date.now() < free) await new Promise((resolve) => setTimeout(resolve, free - Date.now()));
  return from;
}

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
  await Promise.all(
    rig.nodes.map(async ({ id, client }) => {
      const underWay = new Set<Promise<unknown>>();
      for (const body of packs) {
        const sent: Promise<unknown> = client.publishAsync(`dp/1/${id}/up`, body, { qos: 1 }).finally(() => underWay.delete(sent));
        underWay.add(sent);
        if (underWay.size >= UNDER_WAY) await Promise.race(underWay);
      }
      await Promise.all(underWay);
    }),
  );
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
  const lines = rig.nodes.flatMap((node) =>
    Array.from(
      { length: PACKS * RECORDS },
      (_, i) => `${node.points['temperature']}\t${new Date(from + i - 86_400_000).toISOString()}\t${valueOf(i)}\t${valueOf(i)}\t0\t0\t0\n`,
    ),
  );
  const text = lines.join('');
  const began = performance.now();
  await new Promise<void>((done, fail) => {
    const psql = spawn(
      'psql',
      [process.env['DATABASE_URL'] ?? '', '-qc', 'copy reading (point_id, at, raw, value, quality, flags, reason) from stdin'],
      { stdio: ['pipe', 'inherit', 'inherit'] },
    );
    psql.on('exit', (code) => (code === 0 ? done() : fail(new Error(`psql ended with ${code}`))));
    psql.stdin.end(text);
  });
  return ROWS / ((performance.now() - began) / 1000);
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
