// 200 nodes fetch a 1 MB image over the air while 500 readings/s flow: 99th percentile from publish to acknowledgement, against the
// same without anybody fetching. And the server's memory: what fetching adds with an image of 8 MB, against one of 1 MB.
import { createHash, randomBytes } from 'node:crypto';
import { spawn, type ChildProcess } from 'node:child_process';
import { once } from 'node:events';
import { readFileSync } from 'node:fs';
import pg from 'pg';
import { flow, forSeconds, PACKETS_PER_SECOND, RECORDS_A_PACKET } from './flow';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const NODES = 200;
const SECONDS = 15;
const BUSY_SECONDS = 45;

let running: ChildProcess | null = null;
const rig = await openRig(NODES);
const database = new pg.Client({ connectionString: process.env['DATABASE_URL'] });
await database.connect();
const mb = 1024 * 1024;
const rss = (): number => Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${rig.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024;

/** Puts an image of so many bytes into the library, offers it to all nodes, and lets each fetch it by ranges. Gives the seconds it took. */
async function fetchAll(version: string, bytes: number): Promise<{ done: Promise<number>; end: () => Promise<void> }> {
  const image = randomBytes(bytes);
  const sha256 = createHash('sha256').update(image).digest('hex');
  const manifest = {
    format: 1,
    name: 'bench',
    version,
    board: 'wifi-dual-38',
    bytes,
    sha256,
    minimumRevision: 1,
    notes: '',
    signature: null,
  };
  await rig.upload(manifest, image);
  // The climate post switches an output: only signed images go to it over the air.
  await database.query("update firmware set signed_by = 'bench' where name = 'bench'");
  const began = performance.now();
  // In a process of their own: what is measured here is the server, not this one's event loop. Each begins when it is told.
  const fetchers = spawn(process.execPath, ['--import', 'tsx', 'benchmarks/air-nodes.ts', rig.address, String(bytes), String(NODES)], {
    stdio: ['pipe', 'inherit', 'inherit'],
  });
  for (const { client, id, key } of rig.nodes) {
    let told = false;
    client.on('message', (topic, payload) => {
      if (told || topic !== `dp/1/${id}/set`) return;
      const set = JSON.parse(payload.toString()) as { image: { manifest: { sha256: string } } | null };
      if (set.image?.manifest.sha256 !== sha256) return;
      told = true;
      fetchers.stdin.write(`${key}\n`);
    });
  }
  const rollout = (await rig.post('/api/v1/provision/rollouts', {
    firmware: `bench-${version}-wifi-dual-38`,
    nodes: rig.nodes.map((node) => node.id),
    rule: { canaries: NODES, shares: [1], settleSeconds: 600, patienceSeconds: 600, failShare: 1, window: null, rollBack: false },
  })) as { id: number };
  const done = once(fetchers, 'exit').then(() => (performance.now() - began) / 1000);
  running = fetchers;
  return { done, end: async () => void (await rig.call('PUT', `/api/v1/provision/rollouts/${rollout.id}`, { wish: 'roll-back' })) };
}

console.log(machine());
await flow(rig.nodes, forSeconds(5));
const idle = await flow(rig.nodes, forSeconds(SECONDS));
const before = rss();
await Promise.all(rig.nodes.map(({ client, id }) => client.subscribeAsync(`dp/1/${id}/set`, { qos: 1 })));
let highest = 0;
const looking = setInterval(() => (highest = Math.max(highest, rss())), 250);
// From before the first node is told, through the telling of all 200 and well into their fetching.
const measured = flow(rig.nodes, forSeconds(BUSY_SECONDS));
const small = await fetchAll('1.0.0', mb);
const busy = await measured;
const took = await small.done;
const highestSmall = highest;
await small.end();
const ms = (values: number[], share: number): string => `${percentile(values, share).toFixed(1)} ms`;
ratio(
  'intake, p99 while 200 nodes fetch 1 MB, against idle',
  percentile(busy, 0.99),
  percentile(idle, 0.99),
  { atMost: 2 },
  `${ms(busy, 0.99)} (median ${ms(busy, 0.5)}) against ${ms(idle, 0.99)} (median ${ms(idle, 0.5)}) at ${PACKETS_PER_SECOND * RECORDS_A_PACKET} readings/s; all had it after ${took.toFixed(0)} s`,
);
highest = 0;
await fetchAll('2.0.0', 8 * mb);
await new Promise((resolve) => setTimeout(resolve, 45_000));
clearInterval(looking);
ratio(
  'server memory while an image of 8 MB is fetched, against one of 1 MB',
  highest,
  highestSmall,
  { atMost: 1.25 },
  `at most ${highest.toFixed(0)} MB against ${highestSmall.toFixed(0)} MB, ${before.toFixed(0)} MB before`,
);
(running as ChildProcess | null)?.kill();
await database.end();
await rig.stop().catch(() => undefined);
process.exit(process.exitCode ?? 0);
