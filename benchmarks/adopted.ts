// Messages a second from 200 topics of adopted nodes, a plain number each, through mapping, commit and evaluation, against as many
// readings of nodes that speak the node protocol, one in a message, over as many sessions. And at 500 messages/s nothing waits.
import mqtt, { type MqttClient } from 'mqtt';
import pg from 'pg';
import { machine, percentile, ratio } from './report';
import { openRig } from './rig';

const NODES = 20;
const TOPICS = 10;
const ROUNDS = 5;
const MESSAGES = 400;
const UNDER_WAY = 20;
const OFFERED_A_SECOND = 500;
const OFFERED_SECONDS = 10;

const rig = await openRig(0);
const names = Array.from({ length: TOPICS }, (_, k) => `t${k}`);
const connect = (username: string, password: string): Promise<MqttClient> =>
  mqtt.connectAsync({ host: '127.0.0.1', port: rig.mqttPort, protocolVersion: 4, clientId: username, username, password });
/** Adopted nodes, and as many that speak the node protocol, each with the same ten points and nothing computed from them. */
const adopted: { id: string; client: MqttClient }[] = [];
const plain: { id: string; client: MqttClient }[] = [];
for (let i = 1; i <= NODES; i++) {
  const { id, account, password } = (await rig.post('/api/v1/adopted', { name: `Adopted ${i}`, room: 'Workshop' })) as {
    id: string;
    account: string;
    password: string;
  };
  const map = names.map((name) => ({ topic: `${account}/${name}`, point: name, unit: '°C' }));
  await rig.call('PUT', `/api/v1/adopted/${id}/map`, map);
  adopted.push({ id: account, client: await connect(account, password) });
  const points = names.map((name) => ({ name, label: name, unit: '°C', min: 0, max: 50 }));
  const source = (await rig.post('/api/v1/sources', { name: `Source ${i}`, room: 'Workshop', points })) as { id: string; key: string };
  plain.push({ id: source.id, client: await connect(source.id, source.key) });
}
const database = new pg.Client({ connectionString: process.env['DATABASE_URL'] });
await database.connect();
const stored = async (): Promise<number> => Number((await database.query<{ n: string }>('select count(*) n from reading')).rows[0]?.n);

/** Sends so many messages over each session, a bounded number under way; gives messages a second until the last is acknowledged. */
async function round(
  clients: readonly MqttClient[],
  message: (client: number, i: number) => [topic: string, text: string],
): Promise<number> {
  const before = await stored();
  const began = performance.now();
  await Promise.all(
    clients.map(async (client, c) => {
      const underWay = new Set<Promise<unknown>>();
      for (let i = 0; i < MESSAGES; i++) {
        const sent: Promise<unknown> = client.publishAsync(...message(c, i), { qos: 1 }).finally(() => underWay.delete(sent));
        underWay.add(sent);
        if (underWay.size >= UNDER_WAY) await Promise.race(underWay);
      }
      await Promise.all(underWay);
    }),
  );
  const rate = (clients.length * MESSAGES) / ((performance.now() - began) / 1000);
  const found = (await stored()) - before;
  if (found !== clients.length * MESSAGES) throw new Error(`${found} of ${clients.length * MESSAGES} readings were stored`);
  return rate;
}
const ofAdopted = (): Promise<number> =>
  round(
    adopted.map(({ client }) => client),
    (c, i) => [`${adopted[c]?.id}/t${i % TOPICS}`, String(20 + (i % 40) / 10)],
  );
const ofNodes = (): Promise<number> =>
  round(
    plain.map(({ client }) => client),
    (c, i) => [`dp/1/${plain[c]?.id}/up`, JSON.stringify([{ n: names[i % TOPICS], v: 20 + (i % 40) / 10 }])],
  );

await ofAdopted();
await ofNodes();
const rates: { adopted: number[]; nodes: number[] } = { adopted: [], nodes: [] };
for (let i = 0; i < ROUNDS; i++) {
  rates.adopted.push(await ofAdopted());
  rates.nodes.push(await ofNodes());
}
const latencies: number[] = [];
const under: Promise<void>[] = [];
const began = performance.now();
for (let i = 0; i < OFFERED_A_SECOND * OFFERED_SECONDS; i++) {
  const wait = began + (i * 1000) / OFFERED_A_SECOND - performance.now();
  if (wait > 0) await new Promise((resolve) => setTimeout(resolve, wait));
  const { id, client } = adopted[i % NODES] ?? adopted[0]!;
  const from = performance.now();
  under.push(
    client
      .publishAsync(`${id}/t${Math.floor(i / NODES) % TOPICS}`, '21.5', { qos: 1 })
      .then(() => void latencies.push(performance.now() - from)),
  );
}
await Promise.all(under);
const took = (performance.now() - began) / 1000;
await database.end();
for (const { client } of [...adopted, ...plain]) await client.endAsync(true);
await rig.stop();
console.log(machine());
const figures = (values: number[]): string => `${Math.round(percentile(values, 0.5))} (${values.map((v) => Math.round(v)).join(', ')})`;
ratio(
  'messages of 200 adopted topics against as many of nodes',
  percentile(rates.adopted, 0.5),
  percentile(rates.nodes, 0.5),
  { atLeast: 0.7 },
  `${figures(rates.adopted)} against ${figures(rates.nodes)} messages/s; at ${OFFERED_A_SECOND}/s offered all were taken after ${took.toFixed(1)} s, median ${percentile(latencies, 0.5).toFixed(1)} ms, 99th percentile ${percentile(latencies, 0.99).toFixed(1)} ms`,
);
