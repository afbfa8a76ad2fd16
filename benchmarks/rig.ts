import { openAsBlob } from 'node:fs';
import mqtt, { type MqttClient } from 'mqtt';
import pg from 'pg';
import { output, SERVER, service } from '../scripts/lib/run.mjs';

export interface Rig {
  address: string;
  /** The server's process. */
  pid: number;
  mqttPort: number;
  nodes: { id: string; key: string; client: MqttClient; points: Record<string, number> }[];
  call(method: string, path: string, body?: unknown): Promise<unknown>;
  post(path: string, body: unknown): Promise<unknown>;
  /** Sends a file as text/csv; gives the answer. */
  send(path: string, file: string): Promise<{ id: number }>;
  /** Puts an image into the library. */
  upload(manifest: object, image: Buffer): Promise<void>;
  stop(): Promise<void>;
}

/** A server as `npm run serve` starts it, with so many connected nodes of the climate post. */
export async function openRig(count: number): Promise<Rig> {
  const env = { ...process.env, DEWPOST_HTTP_PORT: '0', DEWPOST_MQTT_PORT: '0', DEWPOST_LOG: 'error' } as Record<string, string>;
  const start = () =>
    service([...(process.env['BENCH_PROFILE'] ? ['--cpu-prof', '--cpu-prof-dir=/tmp/p/prof'] : []), ...SERVER], {
      env,
      ready: /listening (http:\S+) mqtt (\d+)/,
      show: (text) => process.stderr.write(/listening/.test(text) ? '' : text),
    });
  let server = start();
  let [, address = ''] = await server.started;
  await output(process.execPath, ['server/dist/account.js', 'add', '--name', 'millwright', '--role', 'maker'], {
    env: { ...env, DEWPOST_PASSWORD: 'a long password' },
  });
  let cookie = '';
  const call = async (method: string, path: string, body?: unknown): Promise<unknown> => {
    const answer = await fetch(address + path, {
      method,
      headers: { cookie, ...(body !== undefined && { 'content-type': 'application/json' }) },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
    if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
    cookie ||= (answer.headers.getSetCookie()[0] ?? '').split(';')[0] ?? '';
    return answer.json();
  };
  const post = (path: string, body: unknown): Promise<unknown> => call('POST', path, body);
  await post('/api/v1/session', { name: 'millwright', password: 'a long password' });
  const made: { id: string; key: string; points: Record<string, number> }[] = [];
  for (let i = 1; i <= count; i++) {
    const id = `bench-${i}`;
    const { key, points } = (await post('/api/v1/nodes', { id, room: 'Workshop', buildSheet: 'climate-post' })) as {
      key: string;
      points: { name: string; id: number }[];
    };
    made.push({ id, key, points: Object.fromEntries(points.map((point) => [point.name, point.id])) });
  }
  // As if each had been proved in place: what is measured is what comes after that.
  await server.stop();
  const database = new pg.Client({ connectionString: env['DATABASE_URL'] });
  await database.connect();
  await database.query('update node set fitted_at = now()');
  await database.end();
  server = start();
  const [, again = '', port = ''] = await server.started;
  address = again;
  const nodes: Rig['nodes'] = [];
  for (const { id, key, points } of made) {
    const client = await mqtt.connectAsync({
      host: '127.0.0.1',
      port: Number(port),
      protocolVersion: 4,
      clientId: id,
      username: id,
      password: key,
      clean: true,
    });
    await client.subscribeAsync(`dp/1/${id}/do`, { qos: 1 });
    await client.publishAsync(
      `dp/1/${id}/up`,
      JSON.stringify([
        { n: 'temperature', v: 20 },
        { n: 'humidity', v: 60 },
      ]),
      { qos: 1 },
    );
    nodes.push({ id, key, client, points });
  }
  return {
    address,
    pid: server.child.pid ?? 0,
    mqttPort: Number(port),
    nodes,
    call,
    post,
    async send(path, file) {
      const answer = await fetch(address + path, {
        method: 'POST',
        headers: { cookie, 'content-type': 'text/csv' },
        body: await openAsBlob(file),
      });
      if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
      return (await answer.json()) as { id: number };
    },
    async upload(manifest, image) {
      const answer = await fetch(`${address}/api/v1/firmware`, {
        method: 'PUT',
        headers: {
          cookie,
          origin: address,
          'content-type': 'application/octet-stream',
          'x-image-manifest': Buffer.from(JSON.stringify(manifest)).toString('base64'),
        },
        body: new Uint8Array(image),
      });
      if (!answer.ok) throw new Error(`upload: ${answer.status} ${await answer.text()}`);
    },
    async stop() {
      for (const node of nodes) await node.client.endAsync(true);
      await server.stop();
    },
  };
}
