import { topicOf } from '@dewpost/core/wire';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let link: FakeNode;
beforeAll(async () => {
  house = await openHouse();
  const { key } = await house.node('loft-1');
  link = await FakeNode.connect(house.server.mqttPort, 'loft-1', key);
  await link.say(60);
});
afterAll(async () => {
  await link?.end();
  await house?.close();
});

const hello = (body: object): void =>
  void link.client.publish(topicOf('loft-1', 'hello'), JSON.stringify({ firmware: 'dewnode 1.0.0', points: [], ...body }), { qos: 1 });
const notices = async (): Promise<Body[]> => (await house.maker.get('/api/v1/notices')).body;
const have = (onBackup: boolean): void =>
  void link.client.publish(topicOf('loft-1', 'have'), JSON.stringify({ revision: 1, onBackup }), { qos: 1 });
const want = async (news: string[]): Promise<void> => {
  const { version, plan } = (await house.maker.get('/api/v1/routes')).body as Body;
  expect((await house.maker.call('PUT', '/api/v1/routes', { from: version, plan: { ...plan, news } })).status).toBe(200);
};

it('a node that starts anew is news where somebody wants it: told once, joined for ten minutes, not for one that sleeps', async () => {
  hello({ resetReason: 'watchdog' });
  await eventually(async () => JSON.stringify((await house.maker.get('/api/v1/nodes/loft-1/log')).body).includes('watchdog'), 'heard');
  expect(await notices()).toEqual([]);
  await want(['restarted']);
  hello({ resetReason: 'deep-sleep' });
  hello({ resetReason: 'watchdog' });
  await eventually(async () => (await notices()).length === 1, 'told');
  expect((await notices())[0]).toMatchObject({
    title: 'loft-1 has started anew',
    threshold: null,
    point: null,
    value: null,
    node: 'loft-1',
    told: true,
  });
  await eventually(() => house.handset.messages.some(({ title }) => title === 'loft-1 has started anew'), 'on the handset');
  expect(house.handset.messages.at(-1)).toMatchObject({ text: 'Why: watchdog.', severity: 'note', alertId: null });
  hello({ resetReason: 'brown-out' });
  await eventually(async () => (await notices()).length === 2, 'joined');
  expect((await notices())[0]).toMatchObject({ told: false });
  expect(house.handset.messages.filter(({ title }) => title === 'loft-1 has started anew')).toHaveLength(1);
});

it('mains that are back are news only after a time without them', async () => {
  await want(['mains']);
  const before = (await notices()).length;
  have(false);
  have(true);
  have(false);
  await eventually(async () => (await notices()).length > before, 'told');
  expect((await notices()).slice(0, -before).map(({ title }) => title as string)).toEqual(['Mains back at loft-1']);
});
