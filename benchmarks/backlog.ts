// Five nodes that were away send 100 000 kept records each while 500 readings/s flow: 99th percentile from publish to acknowledgement
// of what flows, against the same without a backlog.
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import pg from 'pg';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const LIVE = 50;
const AWAY = 5;
const RECORDS = Number(process.env['BENCH_RECORDS'] ?? 100_000);
const PACKETS_PER_SECOND = 50;
const RECORDS_A_PACKET = 10;
const IDLE_SECONDS = 20;

const rig = await openRig(LIVE + AWAY);
const live = rig.nodes.slice(0, LIVE);
const away = rig.nodes.slice(LIVE);
// They come again as themselves: their sessions here end.
for (const { client } of away) await client.endAsync(true);
const database = new pg.Client({ connectionString: process.env['DATABASE_URL'] });
await database.connect();

/** Publishes at the rate until told to stop; gives the milliseconds to each acknowledgement. */
async function flow(goesOn: (seconds: number) => boolean): Promise<number[]> {
  const latencies: number[] = [];
  const under: Promise<void>[] = [];
  const began = performance.now();
  for (let i = 0; goesOn((performance.now() - began) / 1000); i++) {
    const wait = began + (i * 1000) / PACKETS_PER_SECOND - performance.now();
    if (wait > 0) await new Promise((resolve) => setTimeout(resolve, wait));
    const node = live[i % LIVE];
    if (!node) break;
    const now = Date.now();
    const records = Array.from({ length: RECORDS_A_PACKET }, (_, k) => ({
      n: k % 2 ? 'humidity' : 'temperature',
      t: (now - k) / 1000,
      v: 20 + k / 10,
    }));
    const from = performance.now();
    under.push(
      node.client
        .publishAsync(`dp/1/${node.id}/up`, JSON.stringify(records), { qos: 1 })
        .then(() => void latencies.push(performance.now() - from)),
    );
  }
  await Promise.all(under);
  return latencies;
}

console.log(machine());
await flow((seconds) => seconds < 5);
const idle = await flow((seconds) => seconds < IDLE_SECONDS);
const accounts = away.map(({ id, key }) => `${id}=${key}`);
const senders = spawn(
  process.execPath,
  ['--import', 'tsx', 'benchmarks/backlog-nodes.ts', String(rig.mqttPort), String(RECORDS), ...accounts],
  {
    stdio: ['pipe', 'inherit', 'inherit'],
  },
);
let over = false;
const began = performance.now();
const ended = once(senders, 'exit').then(() => (over = true));
const busy = await flow(() => !over);
await ended;
const took = (performance.now() - began) / 1000;
const { rows } = await database.query<{ n: string }>('select count(*) n from reading where point_id = any($1) and at < $2', [
  away.map(({ points }) => points['temperature']),
  new Date(Date.now() - 590_000 - took * 1000),
]);
if (Number(rows[0]?.n) !== AWAY * RECORDS) throw new Error(`${rows[0]?.n} of ${AWAY * RECORDS} kept records were stored`);
await database.end();
for (const { client } of live) await client.endAsync(true);
const ms = (values: number[], share: number): string => `${percentile(values, share).toFixed(1)} ms`;
ratio(
  'what flows, p99 while five nodes send their backlog, against idle',
  percentile(busy, 0.99),
  percentile(idle, 0.99),
  { atMost: 2 },
  `${ms(busy, 0.99)} (median ${ms(busy, 0.5)}) against ${ms(idle, 0.99)} (median ${ms(idle, 0.5)}) at ${PACKETS_PER_SECOND * RECORDS_A_PACKET} readings/s; ${AWAY * RECORDS} kept records came in ${took.toFixed(0)} s, ${Math.round((AWAY * RECORDS) / took)} a second`,
);
await rig.stop();
