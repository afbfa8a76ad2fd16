import { execFile } from 'node:child_process';
import { connectBytes, publishBytes, reportBytes } from '@dewpost/core/traffic';
import mqtt from 'mqtt';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer, type AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { readConfig } from '../src/config/config';
import { connect } from '../src/database/connect';
import { startServer } from '../src/server';
import { output, service } from '../../scripts/lib/run.mjs';
import { eventually, FakeNode, freshDatabase, openHouse, Visitor, type Body, type House } from './house';

const run = promisify(execFile);

describe('clients of the outside act as a node', () => {
  let house: House;
  beforeAll(async () => (house = await openHouse()), 60_000);
  afterAll(() => house?.close());

  it('mosquitto_pub sends readings, mosquitto_sub hears commands', async () => {
    const { key, points } = await house.node('outside-1');
    const who = (id: string): string[] => [
      '-h',
      '127.0.0.1',
      '-p',
      String(house.server.mqttPort),
      '-u',
      'outside-1',
      '-P',
      key,
      '-i',
      id,
      '-q',
      '1',
    ];
    const heard = run('mosquitto_sub', [...who('outside-1'), '-t', 'dp/1/outside-1/do', '-C', '1', '-W', '15']);
    await eventually(
      async () =>
        (await house.maker.get('/api/v1/nodes')).body.some((n: { id: string; connected: boolean }) => n.id === 'outside-1' && n.connected),
      'the subscriber',
    );
    await run('mosquitto_pub', [...who('outside-1.pub'), '-t', 'dp/1/outside-1/up', '-m', '{"temperature":21.5,"humidity":64}']);
    const { body } = await house.maker.get('/api/v1/points/outside-1/temperature/readings');
    expect(body.readings.map((r: number[]) => r[1])).toEqual([21.5]);
    await house.maker.post(`/api/v1/relays/${points['humidifier']}/switch`, { on: true, seconds: 30, reason: 'try' });
    const command = JSON.parse((await heard).stdout);
    expect(command).toMatchObject({ point: 'humidifier', value: true, leaseSeconds: 10, reason: 'hand' });
    await expect(
      run('mosquitto_pub', [
        '-h',
        '127.0.0.1',
        '-p',
        String(house.server.mqttPort),
        '-u',
        'outside-1',
        '-P',
        'wrong',
        '-i',
        'outside-1',
        '-t',
        'dp/1/outside-1/up',
        '-m',
        '{}',
      ]),
    ).rejects.toThrow(/bad user name or password/i);
  });

  it('curl posts readings and fetches what it is told', async () => {
    const { key } = await house.node('outside-2');
    const curl = async (...args: string[]): Promise<Body> =>
      JSON.parse((await run('curl', ['-s', '-H', `Authorization: Bearer ${key}`, ...args])).stdout);
    expect(
      await curl('-H', 'Content-Type: application/json', '-d', '[{"n":"temperature","v":19.25}]', `${house.server.url}/node/v1/up`),
    ).toMatchObject({ stored: 1, refused: [], commands: [], revision: 1 });
    expect(await curl('-d', 'humidity=55', `${house.server.url}/node/v1/up`)).toMatchObject({ stored: 1 });
    expect(await curl(`${house.server.url}/node/v1/set`)).toMatchObject({ revision: 1, reportSeconds: 1 });
  });
});

describe('a killed server', () => {
  it('has every acknowledged reading once, and the alert that was due at the kill once', async () => {
    const database = await freshDatabase();
    const dataDirectory = mkdtempSync(join(tmpdir(), 'dewpost-crash-'));
    const base = { DATABASE_URL: database.url, DEWPOST_DATA_DIR: dataDirectory, DEWPOST_LOG: 'silent', DEWPOST_TICK_MS: '100' };
    // First life in this process, only to make the node and its threshold.
    const first = await startServer(readConfig({ ...base, DEWPOST_HTTP_PORT: '0', DEWPOST_MQTT_PORT: '0' }));
    await output(process.execPath, ['server/dist/account.js', 'add', '--name', 'millwright', '--role', 'maker'], {
      env: { ...process.env, ...base, DEWPOST_PASSWORD: 'a long password' },
    });
    const visitor = new Visitor(first.url);
    await visitor.post('/api/v1/session', { name: 'millwright', password: 'a long password' });
    const made = (await visitor.post('/api/v1/nodes', { id: 'crash-1', room: 'Cellar', buildSheet: 'climate-post' })).body;
    const humidity = made.points.find((p: { name: string }) => p.name === 'humidity').id;
    await visitor.post('/api/v1/thresholds', {
      point: humidity,
      side: 'low',
      setpoint: 60,
      deadband: 5,
      onDelaySeconds: 100,
      offDelaySeconds: 0,
      severity: 'warning',
      confirm: 'readings',
      output: null,
    });
    await first.close();
    // As if it had been fitted: the server of this test is one of its own, where nothing takes that as done.
    const pool = connect(database.url, 1);
    await pool('node').update({ fitted_at: new Date() });
    await pool.destroy();

    const start = async () => {
      const life = service(['server/dist/main.js'], {
        env: { ...base, DEWPOST_HTTP_PORT: '0', DEWPOST_MQTT_PORT: '0', DEWPOST_HANDSET_URL: 'http://127.0.0.1:9/none' },
        ready: /listening (http:\S+) mqtt (\d+)/,
        show: undefined,
      });
      const [, url, port] = (await life.started) as RegExpExecArray;
      return { life, url: url!, port: Number(port) };
    };
    const began = Math.floor(Date.now() / 1000) - 400;
    const KILL_AFTER = 101; // the reading at +100 s is the one that trips
    const acknowledged: number[] = [];
    let now = await start();
    const node = await FakeNode.connect(now.port, 'crash-1', made.key);
    let killed = false;
    const sends: Promise<void>[] = [];
    for (let i = 0; i < 160; i++) {
      const at = began + i;
      const sent = node.up([{ n: 'humidity', t: at, v: 50 + (i % 7) / 10 }]).then(
        () => {
          acknowledged.push(at);
          // At this acknowledgement, not at a time: the alert's transaction is committed or not, nothing between.
          if (acknowledged.length === KILL_AFTER) {
            now.life.child.kill('SIGKILL');
            killed = true;
          }
        },
        () => undefined,
      );
      sends.push(sent);
      // At most 20 under way, as a node with a small store does; the kill leaves some of them unanswered.
      if (i >= 20) await Promise.race([sends[i - 20], eventually(() => killed, 'an answer or the kill')]);
      if (killed) break;
    }
    await eventually(() => killed && now.life.child.signalCode === 'SIGKILL', 'the kill');
    await node.end();
    expect(acknowledged.length).toBeGreaterThanOrEqual(KILL_AFTER);

    now = await start();
    const again = await FakeNode.connect(now.port, 'crash-1', made.key);
    // A node sends again what was not acknowledged; this one sends everything again.
    for (let i = 0; i < 160; i++) await again.up([{ n: 'humidity', t: began + i, v: 50 + (i % 7) / 10 }]);
    const after = new Visitor(now.url);
    await after.post('/api/v1/session', { name: 'millwright', password: 'a long password' });
    const { readings } = (
      await after.get(`/api/v1/points/crash-1/humidity/readings?from=${(began - 10) * 1000}&to=${(began + 500) * 1000}&max=20000`)
    ).body;
    const counts = new Map<number, number>();
    for (const [at] of readings as [number][]) counts.set(at / 1000, (counts.get(at / 1000) ?? 0) + 1);
    expect(acknowledged.filter((at) => counts.get(at) !== 1)).toEqual([]);
    expect([...counts.values()].every((n) => n === 1)).toBe(true);
    const alerts = (await after.get('/api/v1/alerts?state=all')).body.filter((a: { kind: string }) => a.kind === 'threshold');
    expect(alerts).toHaveLength(1);
    expect(alerts[0].trippedAt).toBe((began + 100) * 1000);
    await again.end();
    await now.life.stop();
    await database.drop();
    rmSync(dataDirectory, { recursive: true, force: true });
  });
});

describe('bytes of a real client', () => {
  it('are as many as the arithmetic of traffic says: CONNECT and PUBLISH of MQTT 3.1.1, as another library writes them', async () => {
    const heard: Buffer[] = [];
    // As little of a broker as a client needs: accepts, and acknowledges what is published.
    const listener = createServer((socket) => {
      socket.on('data', (bytes: Buffer) => {
        heard.push(bytes);
        const kind = bytes[0]! >> 4;
        if (kind === 1) socket.write(Buffer.from([0x20, 2, 0, 0]));
        if (kind !== 3) return;
        const topicAt = bytes[1]! < 128 ? 2 : 3;
        const topic = bytes.readUInt16BE(topicAt);
        socket.write(Buffer.concat([Buffer.from([0x40, 2]), bytes.subarray(topicAt + 2 + topic, topicAt + 4 + topic)]));
      });
    });
    await new Promise<void>((resolve) => listener.listen(0, '127.0.0.1', resolve));
    const node = 'weir-level';
    const client = await mqtt.connectAsync({
      port: (listener.address() as AddressInfo).port,
      host: '127.0.0.1',
      protocolVersion: 4,
      clientId: node,
      username: node,
      password: 'k'.repeat(22),
      clean: true,
      will: { topic: `dp/1/${node}/gone`, payload: Buffer.from('{}'), qos: 0, retain: false },
      reconnectPeriod: 0,
    });
    for (const points of [1, 3, 8]) {
      const sender = { id: node, reportSeconds: 60, points };
      const body = 'x'.repeat(reportBytes(sender));
      heard.length = points === 1 ? 1 : 0;
      await client.publishAsync(`dp/1/${node}/up`, body, { qos: 1 });
      const publish = Buffer.concat(points === 1 ? heard.slice(1) : heard);
      expect(publish.length).toBe(publishBytes(`dp/1/${node}/up`.length, body.length, 1, null));
      if (points === 1) expect(heard[0]!.length).toBe(connectBytes(node));
    }
    await client.endAsync(true);
    await new Promise((resolve) => listener.close(resolve));
  });
  it('and a report of so many points as SenML is about as long as was reckoned', () => {
    for (const points of [1, 3, 8]) {
      const names = ['temperature', 'humidity', 'pressure', 'co2', 'illuminance', 'soil-moisture', 'level', 'wind'].slice(0, points);
      const pack = names.map((n, i) => ({ ...(i === 0 && { bt: 1_790_000_000.123 }), n, v: 21.37 }));
      const real = JSON.stringify(pack).length;
      expect(reportBytes({ id: 'weir-level', reportSeconds: 60, points }) / real).toBeGreaterThan(0.9);
      expect(reportBytes({ id: 'weir-level', reportSeconds: 60, points }) / real).toBeLessThan(1.8);
    }
  });
});
