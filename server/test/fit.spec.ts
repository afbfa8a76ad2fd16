import { topicOf } from '@dewpost/core/wire';
import { eventually, FakeNode, openHouse, pause, type Body, type House } from './house';
import { SMALL_JPEG } from './small-jpeg';

let house: House;
beforeAll(async () => (house = await openHouse({ DEWPOST_FIT_SECONDS: '2' }, 'needed')));
afterAll(() => house?.close());

const fit = async (id: string): Promise<Body> => (await house.maker.get(`/api/v1/nodes/${id}/fit`)).body;
const state = async (id: string, need: string): Promise<string> => (await fit(id)).needs.find((one: Body) => one.id === need).state;
const post = (id: string, path: string, body: object = {}) => house.keeper.post(`/api/v1/nodes/${id}/fit/${path}`, body);

describe('proving a node in place', () => {
  it('arms nothing before signal, supply, every sensor and every output have passed; a threshold trips for nobody until then', async () => {
    const { key, points } = await house.node('fit-1');
    const node = await FakeNode.connect(house.server.mqttPort, 'fit-1', key);
    const asks: Body[] = [];
    node.client.on('message', (topic, payload) => {
      const message = JSON.parse(payload.toString());
      if (!topic.endsWith('/do') || message.ask !== 'fit') return;
      asks.push(message);
      // As a node does: once a second, here a little faster.
      for (let i = 0; i < 10; i++)
        setTimeout(
          () => node.client.publish(topicOf('fit-1', 'fit'), JSON.stringify({ rssiDbm: -61 - (i % 3), supplyVolts: 4.9 }), { qos: 1 }),
          i * 240,
        );
    });
    await node.say(40);
    const rule = {
      side: 'low',
      setpoint: 50,
      deadband: 5,
      onDelaySeconds: 0,
      offDelaySeconds: 0,
      severity: 'warning',
      confirm: 'readings',
      output: points['humidifier'],
    };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'] });
    await node.say(40.5);
    await pause(400);
    expect((await house.maker.get('/api/v1/alerts')).body).toEqual([]);
    expect(node.commands.filter((command) => command.value)).toEqual([]);
    const refused = await house.keeper.post(`/api/v1/relays/${points['humidifier']}/switch`, { on: true, seconds: 5, reason: '' });
    expect([refused.status, refused.body.detail]).toEqual([409, expect.stringMatching(/has not been fitted/)]);

    expect((await post('fit-1', 'signal')).status).toBe(200);
    expect((await post('fit-1', 'signal')).status).toBe(409);
    await eventually(async () => (await state('fit-1', 'signal')) === 'passed', 'the signal');
    expect(asks).toHaveLength(1);
    // The node told its supply itself.
    await eventually(async () => (await state('fit-1', 'supply')) === 'passed', 'the supply');
    expect((await post('fit-1', 'checks', { kind: 'supply', volts: 3.9 })).body.needs[1].state).toBe('failed');
    await post('fit-1', 'checks', { kind: 'supply', volts: 4.95 });
    await node.say(41);
    expect((await post('fit-1', 'checks', { kind: 'reading', point: 'temperature', hand: 19, tolerance: 2 })).body.needs[2].state).toBe(
      'failed',
    );
    await post('fit-1', 'checks', { kind: 'reading', point: 'temperature', hand: 24.4, tolerance: 2 });
    await post('fit-1', 'checks', { kind: 'reading', point: 'humidity', hand: 41, tolerance: 5 });
    expect((await post('fit-1', 'checks', { kind: 'output', point: 'humidifier', seen: true })).status).toBe(409);
    await post('fit-1', 'operate', { point: 'humidifier', on: true });
    await eventually(() => node.commands.some((command) => command.value && command.reason === 'hand'), 'operated');
    await post('fit-1', 'operate', { point: 'humidifier', on: false });
    await eventually(() => node.commands.at(-1)?.value === false, 'off again');
    const last = await post('fit-1', 'checks', { kind: 'output', point: 'humidifier', seen: true });
    expect(last.body.fittedAt).toBeGreaterThan(Date.now() - 5000);

    // Armed: the very next reading trips, and switches.
    await node.say(40);
    await eventually(async () => (await house.maker.get('/api/v1/alerts')).body.length === 1, 'the alert');
    await eventually(() => node.commands.at(-1)?.value === true, 'the humidifier');
    const checks = await house.database('fit_check').count('* as n');
    expect(Number(checks[0]!.n)).toBeGreaterThanOrEqual(8);

    // Written again it is at the bench: nothing is armed any more.
    await house.maker.post('/api/v1/provision/runs', { node: 'fit-1' });
    const view = await fit('fit-1');
    expect([view.fittedAt, view.needs.every((one: Body) => one.state === 'open')]).toEqual([null, true]);
    await node.end();
  });

  it('a contact is proved by asking for it; a picture is kept, and nothing else', async () => {
    const draft = {
      board: 'wifi-dual-bare',
      supply: 'aa-lithium-2',
      reportSeconds: 60,
      eventsPerDay: 4,
      outdoors: false,
      cableMetres: 0.5,
      parts: [{ ref: 'hatch', part: 'reed-open' }],
      fixed: {},
      dividers: {},
    };
    await house.maker.post('/api/v1/build-sheets', { name: 'Hatch', draft, base: null });
    const { key } = (await house.maker.post('/api/v1/nodes', { id: 'hatch-1', room: 'Loft', buildSheet: 'Hatch' })).body;
    const node = await FakeNode.connect(house.server.mqttPort, 'hatch-1', key);
    await node.up([{ n: 'open', v: 0 }]);
    await post('hatch-1', 'contact', { point: 'open' });
    expect(await state('hatch-1', 'contact:open')).toBe('running');
    await node.up([{ n: 'open', v: 0 }]);
    expect(await state('hatch-1', 'contact:open')).toBe('running');
    await node.up([{ n: 'open', v: 1 }]);
    await eventually(async () => (await state('hatch-1', 'contact:open')) === 'passed', 'the hatch');
    // It can be asked: a level that somebody read off is not taken for it, until it cannot.
    expect((await post('hatch-1', 'checks', { kind: 'signal', dbm: -60 })).status).toBe(409);
    const [, , contact] = (await fit('hatch-1')).needs;
    expect(contact.detail).toMatch(/changed to 1, \d+\.\d s after it was asked for/);

    const photo = (body: Uint8Array<ArrayBuffer>, type: string): Promise<Response> =>
      fetch(`${house.server.url}/api/v1/nodes/hatch-1/photos`, {
        method: 'POST',
        headers: { cookie: house.keeper.cookie(), origin: house.server.url, 'content-type': type },
        body,
      });
    expect((await photo(SMALL_JPEG, 'image/png')).status).toBe(422);
    expect((await photo(Uint8Array.from(Buffer.from('<svg onload="x"/>')), 'image/jpeg')).status).toBe(422);
    expect((await photo(Uint8Array.from(Buffer.from('<svg/>')), 'image/svg+xml')).status).toBe(415);
    const { id } = (await (await photo(SMALL_JPEG, 'image/jpeg')).json()) as { id: number };
    const kept = await house.keeper.get(`/api/v1/nodes/hatch-1/photos/${id}`);
    expect([kept.status, kept.headers.get('content-type')]).toEqual([200, 'image/jpeg']);
    expect((await house.visitor().get(`/api/v1/nodes/hatch-1/photos/${id}`)).status).toBe(401);
    expect((await house.keeper.get(`/api/v1/nodes/fit-1/photos/${id}`)).status).toBe(404);
    // One less is kept in mind than there is room for: 24 in all, and one that goes makes room.
    for (let i = 1; i < 24; i++) expect((await photo(SMALL_JPEG, 'image/jpeg')).status).toBe(201);
    const full = await photo(SMALL_JPEG, 'image/jpeg');
    expect([full.status, ((await full.json()) as { detail: string }).detail]).toEqual([
      409,
      expect.stringMatching(/has 24 photos: remove one/),
    ]);
    expect((await house.visitor().call('DELETE', `/api/v1/nodes/hatch-1/photos/${id}`)).status).toBe(401);
    expect((await house.keeper.call('DELETE', `/api/v1/nodes/fit-1/photos/${id}`)).status).toBe(404);
    expect((await house.keeper.call('DELETE', `/api/v1/nodes/hatch-1/photos/${id}`)).body.photos).toHaveLength(23);
    expect((await house.keeper.get(`/api/v1/nodes/hatch-1/photos/${id}`)).status).toBe(404);
    expect((await photo(SMALL_JPEG, 'image/jpeg')).status).toBe(201);
    await node.end();
    await eventually(
      async () => !(await house.maker.get('/api/v1/nodes')).body.find((one: Body) => one.id === 'hatch-1').connected,
      'it is away',
    );
    expect((await post('hatch-1', 'checks', { kind: 'signal', dbm: -80 })).body.needs[0].state).toBe('failed');
    expect((await post('hatch-1', 'checks', { kind: 'signal', dbm: -60 })).body.needs[0].state).toBe('passed');
  });

  it('more nodes at once than there are connections wait for none that another of them has', async () => {
    const narrow = await openHouse({ DEWPOST_DATABASE_CONNECTIONS: '2' }, 'needed');
    const names = Array.from({ length: 14 }, (_, i) => `round-${i + 1}`);
    const nodes = [];
    for (const name of names) {
      const { key } = await narrow.node(name);
      const node = await FakeNode.connect(narrow.server.mqttPort, name, key);
      await node.say(40);
      nodes.push(node);
    }
    const check = { kind: 'reading', point: 'temperature', hand: 25, tolerance: 2 };
    const answers = await Promise.all(names.map((name) => narrow.keeper.post(`/api/v1/nodes/${name}/fit/checks`, check)));
    const passed = ({ needs = [] }: Body): string => needs.find(({ point }: Body) => point === 'temperature')?.state;
    expect(answers.map(({ status, body }) => [status, passed(body)])).toEqual(names.map(() => [200, 'passed']));
    for (const node of nodes) await node.end();
    await narrow.close();
  });
});
