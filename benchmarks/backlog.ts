// Five nodes that were away send 100 000 kept records each while 500 readings/s flow: 99th percentile from publish to acknowledgement
// of what flows, against the same without a backlog.
import { spawn } from 'node:child_process';
import { once } from 'node:events';
import pg from 'pg';
import { flow, forSeconds, PACKETS_PER_SECOND, RECORDS_A_PACKET } from './flow';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const LIVE = 50;
const AWAY = 5;
const RECORDS = Number(process.env['BENCH_RECORDS'] ?? 100_000);
const IDLE_SECONDS = 20;

const rig = await openRig(LIVE + AWAY);
const live = rig.nodes.slice(0, LIVE);
const away = rig.nodes.slice(LIVE);
// They come again as themselves: their sessions here end.
for (const { client } of away) await client.endAsync(true);
const database = new pg.Client({ connectionString: process.env['DATABASE_URL'] });
await database.connect();

console.log(machine());
await flow(live, forSeconds(5));
const idle = await flow(live, forSeconds(IDLE_SECONDS));
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
const busy = await flow(live, () => !over);
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
