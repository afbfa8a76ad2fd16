import { topicOf } from '@dewpost/core/wire';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => {
  house = await openHouse();
});
afterAll(() => house?.close());

const add = (body: object): Promise<{ status: number; body: Body }> => house.maker.post('/api/v1/followers', body);
/** A node with a lamp and a display: what it was told to show, newest last. */
async function openLamp(id: string, key: string) {
  const link = await FakeNode.connect(house.server.mqttPort, id, key, { obeys: false });
  const shown: Body[] = [];
  link.client.on('message', (_topic, payload) => {
    const order = JSON.parse(payload.toString()) as Body;
    if (order.show !== undefined) shown.push(order);
  });
  const send = (channel: 'done' | 'hello', body: object): void =>
    void link.client.publish(topicOf(id, channel), JSON.stringify(body), { qos: 1 });
  return {
    shown,
    last: (): Body => shown.at(-1),
    hello: () => send('hello', { firmware: 'dewnode 1.0.0', resetReason: 'power-up', points: [], says: ['light', 'text'] }),
    confirm: () => send('done', { id: shown.at(-1).id, said: true }),
    end: () => link.end(),
  };
}
const RED = { light: 'red', text: 'Damp {value} {unit}, limit {limit}' };
const GREEN = { light: 'green', text: '' };

it('a lamp follows a rule: red while it stands, green otherwise, dark while nothing is known; told again after a hello and a restart', async () => {
  const [loft, lamp] = [await house.node('loft-1'), await house.node('lamp-1')];
  const link = await FakeNode.connect(house.server.mqttPort, loft.id, loft.key);
  let board = await openLamp(lamp.id, lamp.key);
  const rule = { side: 'low', setpoint: 50, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'advisory', output: null };
  const { body: made } = await house.maker.post('/api/v1/thresholds', { ...rule, point: loft.points['humidity'] });
  const wish = { node: lamp.id, threshold: made.id, beyond: RED, otherwise: GREEN };
  // Nobody sees what it cannot show.
  expect((await add(wish)).body.detail).toMatch(/has not said that it has a lamp or a display/);
  const last = (): Body => board.last();
  board.hello();
  await eventually(async () => (await add(wish)).status === 200, 'it follows');
  await eventually(() => last()?.light === 'off', 'dark: its rule has read nothing yet');
  expect(last()).toMatchObject({ show: 'Humidity: not known', seconds: 600 });
  await link.say(60);
  await eventually(() => last().light === 'green', 'green');
  expect(last().show).toMatch(/^Humidity 60\S* %$/);
  await link.say(45);
  await eventually(() => last().light === 'red', 'red');
  expect(last().show).toMatch(/^Damp 45\S* %, limit 50\S* %$/);
  board.confirm();
  const listed = async (): Promise<Body> => (await house.keeper.get('/api/v1/followers')).body[0];
  await eventually(async () => (await listed()).confirmedAt, 'it says so');
  expect(await listed()).toMatchObject({ node: lamp.id, shows: { light: 'red' }, by: 'millwright' });
  // What has not changed is not told again, until it begins anew.
  const before = board.shown.length;
  board.hello();
  await eventually(() => board.shown.length > before, 'told again');
  expect(last().light).toBe('red');

  await board.end();
  await house.restart();
  board = await openLamp(lamp.id, lamp.key);
  board.hello();
  await eventually(() => last()?.light === 'red', 'red over a restart');

  expect((await add(wish)).status).toBe(409);
  expect((await house.keeper.post('/api/v1/followers', wish)).status).toBe(403);
  // A rule that is gone is no green light.
  await house.maker.call('DELETE', `/api/v1/thresholds/${made.id}`);
  await eventually(() => last().light === 'off', 'dark without its rule');
  expect((await house.maker.call('DELETE', `/api/v1/followers/${(await listed()).id}`)).body).toEqual([]);
  await Promise.all([link.end(), board.end()]);
});
