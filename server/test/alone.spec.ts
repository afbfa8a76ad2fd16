import type { SetMessage } from '@dewpost/core/wire';
import { eventually, FakeNode, logged, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse({}, 'needed')));
afterAll(() => house?.close());

const rule = (output: number | null, setpoint = 50) => ({
  side: 'low',
  setpoint,
  deadband: 5,
  onDelaySeconds: 10,
  offDelaySeconds: 0,
  severity: 'warning',
  confirm: 'readings',
  output,
});
const nodeOf = async (id: string): Promise<Body> => (await house.maker.get('/api/v1/nodes')).body.find((one: Body) => one.id === id);

describe('a threshold whose sensor and output are on one node', () => {
  it('is told to that node once it is armed, changes with it and goes with it; those of others and of derived points are not', async () => {
    const { key, points } = await house.node('own-1');
    const other = await house.node('own-2');
    const node = await FakeNode.connect(house.server.mqttPort, 'own-1', key);
    const sets: SetMessage[] = [];
    node.client.on('message', (topic, payload) => {
      if (topic.endsWith('/set')) sets.push(JSON.parse(payload.toString()) as SetMessage);
    });
    await node.client.subscribeAsync('dp/1/own-1/set', { qos: 1 });
    for (const v of [60, 60.1, 60.2]) await node.say(v);
    await eventually(async () => (await nodeOf('own-1')).state === 'proved', 'proved');
    const add = (point: number, body: object): Promise<Body> => house.maker.post('/api/v1/thresholds', { point, ...body });
    const { id } = (await add(points['humidity']!, rule(points['humidifier']!))).body;
    await add(points['humidity']!, rule(other.points['humidifier']!, 40));
    await add(points['humidity']!, rule(null, 30));
    await add(points['dew-point']!, rule(points['humidifier']!, 5));
    // Not proved in place yet: nothing that it could act on.
    await eventually(() => sets.at(-1)?.revision === 2, 'told a new revision');
    expect(sets.at(-1)!.thresholds).toEqual([]);

    // All but the supply, as if seen in place before; the supply is the last.
    const { id: node_id } = (await house.database('node').where({ name: 'own-1' }).first('id')) as { id: number };
    const needs = ['signal', 'reading:temperature', 'reading:humidity', 'output:humidifier'];
    await house.database('fit_check').insert(needs.map((need) => ({ node_id, by_whom: 'millwright', need, passed: true, detail: 'seen' })));
    const { body: view } = await house.maker.post('/api/v1/nodes/own-1/fit/checks', { kind: 'supply', volts: 5 });
    expect(view.needs.filter((need: Body) => need.state !== 'passed')).toEqual([]);
    await eventually(() => sets.at(-1)?.thresholds.length === 1, 'told its own threshold');
    expect(sets.at(-1)).toMatchObject({
      revision: 3,
      thresholds: [{ id, point: 'humidity', output: 'humidifier', side: 'low', setpoint: 50, clearLevel: 55, measures: [0, 100] }],
    });
    await house.maker.call('PUT', `/api/v1/thresholds/${id}`, { ...rule(points['humidifier']!, 45), from: 1 });
    await eventually(() => sets.at(-1)?.thresholds[0]?.setpoint === 45, 'told the change');
    expect((await nodeOf('own-1')).revision).toBe(4);
    // It believes what the house believes.
    const humidity = (await house.maker.get('/api/v1/snapshot')).body.points.find(({ id: point }: Body) => point === points['humidity']);
    const judging = { ...humidity.judging, physicalMax: 96 };
    await house.maker.call('PUT', '/api/v1/nodes/own-1/points/humidity/judging', { judging });
    await eventually(() => sets.at(-1)?.thresholds[0]?.measures?.[1] === 96, 'told what is believed');
    // It knows no day: with limits it follows nothing of its own for that output, and again once they are taken off.
    const limits = (from: number, body: object): Promise<unknown> =>
      house.maker.call('PUT', `/api/v1/relays/${points['humidifier']}/limits`, { from, ...body });
    await limits(0, { starts: 9 });
    await eventually(() => sets.at(-1)?.thresholds.length === 0, 'told that it is limited');
    await limits(1, {});
    await eventually(() => sets.at(-1)?.thresholds.length === 1, 'told that it is not any more');
    // Nor a share of a cycle.
    const share = { proportional: { band: 4, cycleSeconds: 600 } };
    await house.maker.call('PUT', `/api/v1/thresholds/${id}`, { ...rule(points['humidifier']!, 45), ...share, from: 2 });
    await eventually(() => sets.at(-1)?.thresholds.length === 0, 'told that it runs in proportion');
    await house.maker.call('DELETE', `/api/v1/thresholds/${id}`);
    await eventually(() => sets.at(-1)?.thresholds.length === 0, 'told that it is gone');
    await logged(house.maker, 'own-1', /a threshold on humidity was changed by millwright/);
    await node.end();
  });
});
