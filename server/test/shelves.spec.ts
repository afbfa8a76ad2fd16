import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let node: FakeNode;
let points: Record<string, number>;
beforeAll(async () => {
  house = await openHouse();
  const made = await house.node('loft-1', 'Grain loft');
  points = made.points;
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key, { retry: true });
});
afterAll(async () => {
  await node?.end();
  await house?.close();
});

const told = (): number => house.handset.messages.length;
const open = async (): Promise<Body[]> => (await house.maker.get('/api/v1/alerts?state=open')).body;
const arm = (change: object = {}) =>
  house.maker.post('/api/v1/thresholds', {
    ...{ point: points['temperature'], side: 'high', setpoint: 30, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0 },
    ...{ severity: 'warning', output: null, ...change },
  });
const isHot = ({ title, severity }: Body): boolean => title === 'Air temperature too high' && severity === 'warning';
const stand = (): Promise<Body> => eventually(async () => (await open()).find(isHot), 'it to trip');
const trip = async (): Promise<Body> => {
  await node.up({ temperature: 35 });
  return stand();
};
const clear = async (): Promise<void> => {
  await node.up({ temperature: 20 });
  await eventually(async () => !(await open()).some(isHot), 'it to clear');
};
const shelve = (id: number, body: object = {}) =>
  house.keeper.post(`/api/v1/alerts/${id}/shelve`, { minutes: 30, why: 'the fan is being mended', ...body });
const takeOff = (id: number) => house.keeper.call('DELETE', `/api/v1/alerts/${id}/shelve`);

describe('an alert on the shelf', () => {
  it('stands and is told to nobody, though its rule trips anew; what it switches goes on; others are told', async () => {
    await arm({ output: points['humidifier'] });
    const first = await trip();
    await eventually(() => told() === 1, 'it to be told');
    await eventually(() => node.commands.at(-1)?.value === true, 'on');
    const { status, body } = await shelve(first.id);
    expect([status, body.shelvedBy, body.shelvedWhy, body.shelvedUntil > Date.now() + 29 * 60_000]).toEqual([
      200,
      'baker',
      'the fan is being mended',
      true,
    ]);
    await clear();
    await eventually(() => node.commands.at(-1)?.value === false, 'off');
    const again = await trip();
    expect([again.id === first.id, again.shelvedUntil]).toEqual([false, body.shelvedUntil]);
    await eventually(() => node.commands.at(-1)?.value === true, 'on again');
    await house.maker.post('/api/v1/thresholds', {
      ...{ point: points['humidity'], side: 'low', setpoint: 30, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0 },
      ...{ severity: 'advisory', output: null },
    });
    await node.up({ humidity: 20 });
    await eventually(() => told() === 2, 'the other to be told');
    expect(house.handset.messages.map(({ title }: { title: string }) => title)).toEqual(['Air temperature too high', 'Humidity too low']);
    await node.up({ humidity: 60 });
  });

  it('taken off before its time is told from the beginning; one that is not on a shelf cannot be', async () => {
    const alert = await stand();
    const before = told();
    const { body } = await takeOff(alert.id);
    expect([body.shelvedUntil, body.shelvedBy, body.shelvedWhy]).toEqual([null, null, null]);
    await eventually(() => told() === before + 1, 'it to be told');
    expect((await takeOff(alert.id)).status).toBe(404);
    // What trips now is on no shelf.
    await clear();
    expect((await trip()).shelvedUntil).toBeNull();
    await eventually(() => told() === before + 2, 'the next to be told');
  });

  it('stays there over a restart, and is told at once where its time was over meanwhile', async () => {
    const alert = await stand();
    await shelve(alert.id);
    const before = told();
    await house.restart(() => Promise.resolve());
    expect((await stand()).shelvedBy).toBe('baker');
    await clear();
    expect((await trip()).shelvedUntil).toEqual(expect.any(Number));
    expect(told()).toBe(before);
    await house.restart(() => house.database('shelf').update({ until: new Date(Date.now() - 1000) }));
    await eventually(() => told() === before + 1, 'it to be told');
    expect([(await stand()).shelvedUntil, await house.database('shelf')]).toEqual([null, []]);
  });

  it('is none for what has cleared, nor for longer than its severity may wait, nor without a reason', async () => {
    const alert = await stand();
    expect((await shelve(alert.id, { why: ' ' })).status).toBe(422);
    expect((await shelve(alert.id, { minutes: 24 * 60 + 1 })).body.detail).toBe('A warning alert is put away for 24 h at most.');
    await clear();
    expect((await shelve(alert.id)).status).toBe(409);
    expect((await shelve(999_999)).status).toBe(409);
    await arm({ severity: 'critical', setpoint: 33 });
    await node.up({ temperature: 36 });
    const critical = await eventually(async () => (await open()).find(({ severity }) => severity === 'critical'), 'the critical one');
    expect((await shelve(critical.id, { minutes: 61 })).body.detail).toBe('A critical alert is put away for 1 h at most.');
    expect((await shelve(critical.id, { minutes: 60 })).status).toBe(200);
    expect(await house.database('shelf').select('why')).toEqual([{ why: 'the fan is being mended' }]);
  });

  it('holds back no graver alert of the same rule: one that was put away for a week and is critical now is told', async () => {
    const { id: rule, version } = (await arm({ point: points['humidity'], side: 'low', setpoint: 50, severity: 'advisory' })).body;
    await node.up({ humidity: 40 });
    const ofRule = async (severity: string): Promise<Body> =>
      (await open()).find((one) => one.threshold === rule && one.severity === severity);
    const alert = await eventually(() => ofRule('advisory'), 'the advisory one');
    expect((await shelve(alert.id, { minutes: 7 * 24 * 60 })).status).toBe(200);
    const before = told();
    const body = { side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'critical', output: null };
    expect((await house.maker.call('PUT', `/api/v1/thresholds/${rule}`, { ...body, from: version })).status).toBe(200);
    await node.up({ humidity: 39 });
    const grave = await eventually(() => ofRule('critical'), 'the critical one');
    expect(grave.shelvedUntil).toBeNull();
    await eventually(() => told() === before + 1, 'it to be told');
  });
});
