import { createHash } from 'node:crypto';
import { cpSync, mkdtempSync, renameSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { readConfig } from '../src/config/config';
import { startServer } from '../src/server';
import { eventually, FakeNode, openHouse, pause, Visitor } from './house';
import { SMALL_JPEG } from './small-jpeg';

it('a server that starts again goes on where it was: the demand stands, nothing trips twice, no sensor is called lost too soon', async () => {
  const house = await openHouse();
  const { key, points } = await house.node('again-1');
  let node = await FakeNode.connect(house.server.mqttPort, 'again-1', key);
  await node.say(62);
  const rule = {
    side: 'low',
    setpoint: 60,
    deadband: 5,
    onDelaySeconds: 0,
    offDelaySeconds: 0,
    severity: 'warning',
    confirm: 'readings',
    output: points['humidifier'],
  };
  await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'] });
  await node.say(50);
  await eventually(() => node.commands.some((command) => command.value), 'on');
  await node.end();
  await house.server.close();
  await pause(4000); // longer than three intervals of a second: what was known is old now

  const second = await startServer(
    readConfig({
      DATABASE_URL: house.databaseUrl,
      DEWPOST_HTTP_PORT: '0',
      DEWPOST_MQTT_PORT: '0',
      DEWPOST_DATA_DIR: house.dataDirectory,
      DEWPOST_LOG: 'silent',
      DEWPOST_TICK_MS: '100',
    }),
    'taken as done',
  );
  try {
    const keeper = new Visitor(second.url);
    await keeper.post('/api/v1/session', { name: 'baker', password: 'a long password' });
    const open = async (): Promise<string[]> =>
      (await keeper.get('/api/v1/alerts?state=open')).body.map((alert: { kind: string }) => alert.kind).sort();
    await pause(500);
    expect(await open()).toEqual(['threshold']);
    node = await FakeNode.connect(second.mqttPort, 'again-1', key);
    await pause(300);
    // An old reading upholds nothing: the output stays off until the sensor has spoken.
    expect(node.commands).toEqual([]);
    await node.say(51);
    await eventually(() => node.commands.at(-1)?.value === true, 'told anew');
    expect(await open()).toEqual(['threshold']);
    expect(await house.database('alert').where({ kind: 'threshold' })).toHaveLength(1);
    await node.say(70);
    await eventually(() => node.commands.at(-1)?.value === false, 'off');
    await eventually(async () => (await open()).length === 0, 'cleared');
    await node.end();
  } finally {
    await second.close();
    await house.close();
  }
});

it('a second server on the same database is refused by name, and one with another key too; nothing is changed by either', async () => {
  const house = await openHouse();
  const config = (more: Record<string, string>) =>
    readConfig({
      DATABASE_URL: house.databaseUrl,
      DEWPOST_HTTP_PORT: '0',
      DEWPOST_MQTT_PORT: '0',
      DEWPOST_DATA_DIR: house.dataDirectory,
      DEWPOST_LOG: 'silent',
      ...more,
    });
  try {
    await expect(startServer(config({}))).rejects.toThrow(/Another Dew Post server is running on this database \(from .+, since 20/);
    await house.server.close();
    await expect(startServer(config({ DEWPOST_SECRET_KEY: 'ab'.repeat(32) }))).rejects.toThrow(/secret key is not the one/);
    // Refused, it has let go: the right one starts at once.
    const again = await startServer(config({}));
    await again.close();
  } finally {
    await house.close();
  }
});

it('comes back on another machine from a copy of the database and of the data directory: images, photos, keys and history', async () => {
  const house = await openHouse();
  const moved = join(mkdtempSync(join(tmpdir(), 'dewpost-moved-')), 'data');
  const { key } = await house.node('moved-1');
  const node = await FakeNode.connect(house.server.mqttPort, 'moved-1', key);
  await node.say(62);
  await node.end();
  const sealed = await house.node('moved-2');
  const picture = Buffer.from(SMALL_JPEG);
  const cookie = { cookie: house.maker.cookie(), 'content-type': 'image/jpeg', origin: house.server.url };
  const photo = await fetch(`${house.server.url}/api/v1/nodes/moved-1/photos`, { method: 'POST', headers: cookie, body: picture });
  const { id } = (await photo.json()) as { id: number };
  const [image] = (await house.maker.get('/api/v1/firmware')).body as { id: string; sha256: string }[];
  await house.server.close();
  await house.database.destroy();
  // As the README says: the database, and the data directory with images and keys.
  const copy = await house.copyDatabase();
  cpSync(house.dataDirectory, moved, { recursive: true });
  renameSync(house.dataDirectory, `${house.dataDirectory}-gone`);
  const server = await startServer(
    readConfig({ DATABASE_URL: copy.url, DEWPOST_HTTP_PORT: '0', DEWPOST_MQTT_PORT: '0', DEWPOST_DATA_DIR: moved, DEWPOST_LOG: 'silent' }),
  );
  try {
    const maker = new Visitor(server.url);
    await maker.post('/api/v1/session', { name: 'millwright', password: 'a long password' });
    const bytes = async (path: string): Promise<Buffer> =>
      Buffer.from(await (await fetch(server.url + path, { headers: { cookie: maker.cookie() } })).arrayBuffer());
    expect(
      createHash('sha256')
        .update(await bytes(`/api/v1/firmware/${image!.id}/image`))
        .digest('hex'),
    ).toBe(image!.sha256);
    expect(await bytes(`/api/v1/nodes/moved-1/photos/${id}`)).toEqual(picture);
    // What was sealed opens, what was measured is there, and a node comes in with the key it has.
    expect((await maker.post('/api/v1/nodes/moved-2/key', {})).body).toEqual({ key: sealed.key });
    expect((await maker.get('/api/v1/points/moved-1/humidity/readings')).body.readings).toHaveLength(1);
    const again = await FakeNode.connect(server.mqttPort, 'moved-1', key);
    await again.say(63);
    await eventually(
      async () => (await maker.get('/api/v1/points/moved-1/humidity/readings')).body.readings.length === 2,
      'the next reading',
    );
    await again.end();
  } finally {
    await server.close();
    await copy.drop();
    await house.close();
    rmSync(moved, { recursive: true, force: true });
    rmSync(`${house.dataDirectory}-gone`, { recursive: true, force: true });
  }
});
