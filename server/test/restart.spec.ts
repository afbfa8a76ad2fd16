import { readConfig } from '../src/config';
import { startServer } from '../src/server';
import { eventually, FakeNode, openHouse, pause, Visitor } from './house';

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
}, 60_000);
