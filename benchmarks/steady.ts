// 200 nodes report for ten minutes, half of them by MQTT and half by HTTP: what waits to be stored does not grow, and memory is flat.
import { readFileSync } from 'node:fs';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const NODES = 200;
/** `BENCH_MINUTES` for others. */
const MINUTES = Number(process.env['BENCH_MINUTES'] ?? 10);
/** A report a node every so often: 400 readings a second of all. */
const EVERY_MS = 5000;
const READINGS = 10;

const rig = await openRig(NODES);
const residentMegabytes = (): number =>
  Math.round(Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${rig.pid}/status`, 'utf8'))?.[1] ?? 0) / 1024);

const waited: { at: number; ms: number; way: 'mqtt' | 'http' }[] = [];
const memory: { at: number; kept: number; resident: number }[] = [];
/** What has survived collections: the old space of the server's heap, MB. Young objects and what the system lends beside it go up and down. */
async function keptMegabytes(): Promise<number> {
  const text = await (await fetch(`${rig.address}/metrics`)).text();
  return Number(/nodejs_heap_space_size_used_bytes\{space="old"\} (\S+)/.exec(text)?.[1] ?? NaN) / 1e6;
}
const underWay = new Set<Promise<void>>();
const began = performance.now();
const ends = began + MINUTES * 60_000;
let refused = 0;

async function report(node: (typeof rig.nodes)[number], way: 'mqtt' | 'http'): Promise<void> {
  const now = Date.now();
  const body = JSON.stringify(
    Array.from({ length: READINGS }, (_, i) => ({ n: i % 2 ? 'humidity' : 'temperature', t: (now - 490 * i) / 1000, v: 20 + i / 10 })),
  );
  const from = performance.now();
  if (way === 'mqtt') await node.client.publishAsync(`dp/1/${node.id}/up`, body, { qos: 1 });
  else {
    const answer = await fetch(`${rig.address}/node/v1/up`, {
      method: 'POST',
      headers: { authorization: `Bearer ${node.key}`, 'content-type': 'application/senml+json' },
      body,
    });
    if (!answer.ok) refused++;
    await answer.arrayBuffer();
  }
  waited.push({ at: from - began, ms: performance.now() - from, way });
}

let nextLook = began;
for (let i = 0; performance.now() < ends; i++) {
  const due = began + (i * EVERY_MS) / NODES;
  const wait = due - performance.now();
  if (wait > 0) await new Promise((resolve) => setTimeout(resolve, wait));
  const node = rig.nodes[i % NODES];
  if (!node) break;
  const sent: Promise<void> = report(node, i % 2 ? 'http' : 'mqtt').finally(() => underWay.delete(sent));
  underWay.add(sent);
  if (performance.now() >= nextLook) {
    memory.push({ at: performance.now() - began, kept: await keptMegabytes(), resident: residentMegabytes() });
    nextLook += 5000;
  }
}
await Promise.all(underWay);
await rig.stop();

// The first fifth warms up: the second and the last are compared.
const fifth = (ends - began) / 5;
const within = (from: number): number[] => waited.filter(({ at }) => at >= from && at < from + fifth).map(({ ms }) => ms);
const used = (from: number): number[] => memory.filter(({ at }) => at >= from && at < from + fifth).map(({ kept }) => kept);
const [early, late] = [within(fifth), within(4 * fifth)];
const [before, after] = [percentile(used(fifth), 0.05), percentile(used(4 * fifth), 0.05)];
const byWay = (way: string): string =>
  percentile(
    waited.filter((one) => one.way === way).map(({ ms }) => ms),
    0.99,
  ).toFixed(1);
console.log(machine());
if (refused > 0) {
  console.log(`MISSED ${refused} reports were refused`);
  process.exitCode = 1;
}
ratio(
  'wait for the acknowledgement, the last fifth against the second',
  percentile(late, 0.95),
  percentile(early, 0.95),
  { atMost: 1.5 },
  `95th percentile ${percentile(late, 0.95).toFixed(1)} ms against ${percentile(early, 0.95).toFixed(1)} ms, ${waited.length} reports in ${MINUTES} min; 99th percentile by MQTT ${byWay('mqtt')} ms, by HTTP ${byWay('http')} ms`,
);
ratio(
  'what survives collections, the last fifth against the second',
  after,
  before,
  { atMost: 1.15 },
  `${after.toFixed(1)} MB against ${before.toFixed(1)} MB of the old space; resident from ${Math.min(...memory.map(({ resident }) => resident))} to ${Math.max(...memory.map(({ resident }) => resident))} MB`,
);
