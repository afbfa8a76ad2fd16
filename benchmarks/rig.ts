import mqtt, { type MqttClient } from 'mqtt';
import { output, SERVER, service } from '../scripts/lib/run.mjs';

export interface Rig {
  mqttPort: number;
  nodes: { id: string; client: MqttClient; points: Record<string, number> }[];
  post(path: string, body: unknown): Promise<unknown>;
  stop(): Promise<void>;
}

/** A server as `npm run serve` starts it, with so many connected nodes of the climate post. */
export async function openRig(count: number): Promise<Rig> {
  const env = { ...process.env, DEWPOST_HTTP_PORT: '0', DEWPOST_MQTT_PORT: '0', DEWPOST_LOG: 'error' } as Record<string, string>;
  const server = service([...(process.env['BENCH_PROFILE'] ? ['--cpu-prof', '--cpu-prof-dir=/tmp/p/prof'] : []), ...SERVER], {
    env,
    ready: /listening (http:\S+) mqtt (\d+)/,
    show: (text) => process.stderr.write(/listening/.test(text) ? '' : text),
  });
  const [, address = '', port = ''] = await server.started;
  await output(process.execPath, ['server/dist/account.js', 'add', '--name', 'millwright', '--role', 'maker'], {
    env: { ...env, DEWPOST_PASSWORD: 'a long password' },
  });
  let cookie = '';
  const post = async (path: string, body: unknown): Promise<unknown> => {
    const answer = await fetch(address + path, {
      method: 'POST',
      headers: { 'content-type': 'application/json', cookie },
      body: JSON.stringify(body),
    });
    if (!answer.ok) throw new Error(`${path}: ${answer.status} ${await answer.text()}`);
    cookie ||= (answer.headers.getSetCookie()[0] ?? '').split(';')[0] ?? '';
    return answer.json();
  };
  await post('/api/v1/session', { name: 'millwright', password: 'a long password' });
  const nodes: Rig['nodes'] = [];
  for (let i = 1; i <= count; i++) {
    const id = `bench-${i}`;
    const made = (await post('/api/v1/nodes', { id, room: 'Workshop', buildSheet: 'climate-post' })) as {
      key: string;
      points: { name: string; id: number }[];
    };
    const client = await mqtt.connectAsync({
      host: '127.0.0.1',
      port: Number(port),
      protocolVersion: 4,
      clientId: id,
      username: id,
      password: made.key,
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
    nodes.push({ id, client, points: Object.fromEntries(made.points.map((point) => [point.name, point.id])) });
  }
  return {
    mqttPort: Number(port),
    nodes,
    post,
    async stop() {
      for (const node of nodes) await node.client.endAsync(true);
      await server.stop();
    },
  };
}
