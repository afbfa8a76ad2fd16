// At 500 readings/s: median and 99th percentile from the publish that trips or clears a threshold to its relay command arriving at the node,
// against a bare publish-subscribe echo through the same broker library plus one commit, at the same rate of packets.
import { Aedes } from 'aedes';
import mqtt from 'mqtt';
import { once } from 'node:events';
import { createServer, type AddressInfo } from 'node:net';
import { spawn } from 'node:child_process';
import pg from 'pg';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

/** A whole house (`house.ts`): 200 nodes with ten rules each, at 1 000 readings/s. */
const IS_HOUSE = process.env['BENCH_HOUSE'] === '1';
const NODES = IS_HOUSE ? 200 : 50;
/** Rules a node beside the one that is crossed: judged with each reading, never tripped. */
const QUIET_RULES = IS_HOUSE ? 9 : 0;
const SECONDS = 20;
const RECORDS = 10;
const PACKETS_PER_SECOND = IS_HOUSE ? 100 : 50;

if (process.argv[2] === 'broker') {
  const aedes = await Aedes.createBroker();
  const server = createServer((socket) => void aedes.handle(socket));
  server.listen(0, '127.0.0.1', () => console.log((server.address() as AddressInfo).port));
} else {
  const measured = await commandLatencies();
  const reference = await echoLatencies();
  console.log(machine());
  const p = (values: number[], share: number): string => `${percentile(values, share).toFixed(1)} ms`;
  if (!IS_HOUSE)
    ratio(
      'publish to relay command, median, against echo and commit',
      percentile(measured, 0.5),
      percentile(reference, 0.5),
      { atMost: 2.5 },
      `${p(measured, 0.5)} against ${p(reference, 0.5)}`,
    );
  ratio(
    `publish to relay command${IS_HOUSE ? ` with ${NODES * (QUIET_RULES + 1)} rules over ${NODES} nodes` : ''}, p99, against echo and commit`,
    percentile(measured, 0.99),
    percentile(reference, 0.99),
    { atMost: IS_HOUSE ? 5 : 3 },
    `${p(measured, 0.99)} (median ${p(measured, 0.5)}, ${measured.length} commands) against ${p(reference, 0.99)} (median ${p(reference, 0.5)}, ${reference.length} echoes) at ${PACKETS_PER_SECOND * RECORDS} readings/s`,
  );
  process.exit(process.exitCode ?? 0);
}

/** Calls `act` with the number of the packet, evenly over the run. */
async function atRate(act: (i: number) => void): Promise<void> {
  const began = performance.now();
  for (let i = 0; i < SECONDS * PACKETS_PER_SECOND; i++) {
    const due = began + (i * 1000) / PACKETS_PER_SECOND;
    const wait = due - performance.now();
    if (wait > 0) await new Promise((resolve) => setTimeout(resolve, wait));
    act(i);
  }
  await new Promise((resolve) => setTimeout(resolve, 1000));
}

async function commandLatencies(): Promise<number[]> {
  const rig = await openRig(NODES);
  const waiting = new Map<string, { from: number; on: boolean }>();
  const latencies: number[] = [];
  for (const node of rig.nodes) {
    await rig.post('/api/v1/thresholds', {
      point: node.points['humidity'],
      side: 'low',
      setpoint: 50,
      deadband: 5,
      onDelaySeconds: 0,
      offDelaySeconds: 0,
      severity: 'advisory',
      confirm: 'readings',
      output: node.points['humidifier'],
    });
    for (let k = 0; k < QUIET_RULES; k++)
      await rig.post('/api/v1/thresholds', {
        ...{ point: node.points['humidity'], side: 'high', setpoint: 70 + k, deadband: 2, severity: 'advisory', confirm: 'readings' },
        ...{ onDelaySeconds: 0, offDelaySeconds: 0, output: null },
      });
    node.client.on('message', (_topic, payload) => {
      const command = JSON.parse(payload.toString()) as { id: string; point: string; value: boolean };
      const asked = waiting.get(node.id);
      if (asked && asked.on === command.value) {
        latencies.push(performance.now() - asked.from);
        waiting.delete(node.id);
      }
      node.client.publish(
        `dp/1/${node.id}/done`,
        JSON.stringify({
          id: command.id,
          point: command.point,
          result: 'done',
          reason: 'demand',
          state: command.value,
          readBack: 'contact',
        }),
        { qos: 1 },
      );
    });
  }
  await atRate((i) => {
    const node = rig.nodes[i % NODES];
    if (!node) return;
    // The last record of a pack crosses the limit, down in one round and up in the next.
    const low = Math.floor(i / NODES) % 2 === 0;
    const now = Date.now();
    const records = Array.from({ length: RECORDS }, (_, k) => ({
      n: 'humidity',
      t: (now - (RECORDS - 1 - k)) / 1000,
      v: k === RECORDS - 1 ? (low ? 45 : 60) : low ? 60 : 45,
    }));
    waiting.set(node.id, { from: performance.now(), on: low });
    node.client.publish(`dp/1/${node.id}/up`, JSON.stringify(records), { qos: 1 });
  });
  await rig.stop();
  if (latencies.length < SECONDS * PACKETS_PER_SECOND * 0.95)
    throw new Error(`only ${latencies.length} commands came for ${SECONDS * PACKETS_PER_SECOND} crossings`);
  return latencies;
}

async function echoLatencies(): Promise<number[]> {
  const broker = spawn(process.execPath, ['--import', 'tsx', 'benchmarks/latency.ts', 'broker'], { stdio: ['ignore', 'pipe', 'inherit'] });
  const [line] = (await once(broker.stdout, 'data')) as [Buffer];
  const database = new pg.Client({ connectionString: process.env['DATABASE_URL'] });
  await database.connect();
  await database.query('create table bench_commit (at timestamptz, body text)');
  const options = { host: '127.0.0.1', port: Number(line.toString()), protocolVersion: 4 as const };
  const publisher = await mqtt.connectAsync({ ...options, clientId: 'a' });
  const subscriber = await mqtt.connectAsync({ ...options, clientId: 'b' });
  await subscriber.subscribeAsync('echo', { qos: 0 });
  const sent: number[] = [];
  const latencies: number[] = [];
  subscriber.on('message', (_topic, payload) => {
    const i = Number(payload.toString().slice(0, 8));
    void database
      .query('insert into bench_commit values (now(), $1)', [payload.toString()])
      .then(() => latencies.push(performance.now() - (sent[i] ?? NaN)));
  });
  await atRate((i) => {
    sent[i] = performance.now();
    publisher.publish('echo', String(i).padStart(8).padEnd(500), { qos: 1 });
  });
  await Promise.all([publisher.endAsync(true), subscriber.endAsync(true), database.end()]);
  broker.kill();
  return latencies;
}
