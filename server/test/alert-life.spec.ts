import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let node: FakeNode;
let rule: number;
beforeAll(async () => {
  house = await openHouse();
  const { key, points } = await house.node('loft-1', 'Grain loft');
  await house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: ['loft-1'], reportSeconds: 60 });
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', key, { retry: true });
  const limit = { side: 'high', setpoint: 30, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
  rule = (await house.maker.post('/api/v1/thresholds', { ...limit, point: points['temperature'] })).body.id;
});
afterAll(async () => {
  await node?.end();
  await house?.close();
});

const open = async (): Promise<Body[]> => (await house.maker.get('/api/v1/alerts?state=open')).body;
const trip = async (): Promise<number> => {
  await node.up({ temperature: 35 });
  return (await eventually(async () => (await open())[0], 'it to trip')).id;
};
const clear = async (): Promise<void> => {
  await node.up({ temperature: 20 });
  await eventually(async () => (await open()).length === 0, 'it to clear');
};
const write = (id: number, kind: string, text: string, who = house.keeper) => who.post(`/api/v1/alerts/${id}/life`, { kind, text });

describe('the life of an alert', () => {
  it('holds what happened and what a keeper writes down, in order; the last cause and remedy stand with it, over clearing and a restart', async () => {
    const id = await trip();
    expect((await write(id, 'cause', 'the hatch stood open')).body.alert).toMatchObject({ cause: 'the hatch stood open', remedy: null });
    await write(id, 'note', 'the miller was told');
    await write(id, 'cause', '  the hatch stood open, and its spring is broken ');
    await house.keeper.post(`/api/v1/alerts/${id}/acknowledge`, {});
    // As the engine has it too: pages are told so when it clears.
    expect((await open())[0]).toMatchObject({ id, cause: 'the hatch stood open, and its spring is broken' });
    await clear();
    await write(id, 'remedy', 'another spring');
    await house.restart();
    const { body } = await house.maker.get(`/api/v1/alerts/${id}/life`);
    expect(body.entries.map(({ kind, text, by }: Body) => [kind, text, by])).toEqual([
      ['life', 'tripped', null],
      ['cause', 'the hatch stood open', 'baker'],
      ['note', 'the miller was told', 'baker'],
      ['cause', 'the hatch stood open, and its spring is broken', 'baker'],
      ['life', 'acknowledged', 'baker'],
      ['life', 'cleared', null],
      ['remedy', 'another spring', 'baker'],
    ]);
    expect(body.alert).toMatchObject({
      cause: 'the hatch stood open, and its spring is broken',
      remedy: 'another spring',
      clearedWhy: 'cleared',
    });
    expect(body.before).toEqual([]);
  });

  it('the next of the same rule says what the last ones came from; those nobody knows anything of are passed over', async () => {
    const quiet = await trip();
    await clear();
    const id = await trip();
    const { body } = await house.maker.get(`/api/v1/alerts/${id}/life`);
    expect(body.before).toHaveLength(1);
    expect(body.before[0]).toMatchObject({ threshold: rule, remedy: 'another spring' });
    expect(body.before[0].id).toBeLessThan(quiet);
    await clear();
  });

  it.each([
    ['two spaces and a letter', 'cause', '  x '],
    ['what only happens', 'life', 'it cleared by magic'],
    ['more than a thousand letters', 'cause', 'a'.repeat(1001)],
  ])('%s: refused, and nothing is written', async (_, kind, text) => {
    const [{ id }] = await house.database('alert').orderBy('id').limit(1);
    const events = await house.database('alert_event').count();
    expect((await write(id, kind, text)).status).toBe(422);
    expect(await house.database('alert_event').count()).toEqual(events);
  });

  it('of an alert that is not there nothing is read or written', async () => {
    expect((await house.maker.get('/api/v1/alerts/99999/life')).status).toBe(404);
    expect((await write(99_999, 'note', 'who is there')).status).toBe(404);
  });
});
