import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let node: FakeNode;
let points: Record<string, number>;
beforeAll(async () => {
  house = await openHouse();
  const made = await house.node('loft-1', 'Grain loft');
  points = made.points;
  await house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: ['loft-1'], reportSeconds: 60 });
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key, { retry: true });
});
afterAll(async () => {
  await node?.end();
  await house?.close();
});

const told = (): string[] => house.handset.messages.map(({ title }) => title);
const arm = async (setpoint: number, severity: string, point = 'temperature'): Promise<void> => {
  const rule = { side: 'high', setpoint, deadband: 1, onDelaySeconds: 0, offDelaySeconds: 0, severity, output: null };
  expect((await house.maker.post('/api/v1/thresholds', { ...rule, point: points[point] })).status).toBe(200);
};
const open = async (): Promise<Body[]> => (await house.maker.get('/api/v1/alerts?state=open')).body;
const lay = async (change: object): Promise<void> => {
  const { version, plan } = (await house.maker.get('/api/v1/routes')).body;
  expect((await house.maker.call('PUT', '/api/v1/routes', { from: version, plan: { ...plan, ...change } })).status).toBe(200);
};

describe('everything trips at once', () => {
  it('what came first and what is critical are told by themselves, all else in one message; nothing goes unsaid or is said twice', async () => {
    for (let i = 0; i < 13; i++) await arm(30 + i, 'warning');
    await arm(50, 'critical');
    await node.up({ temperature: 60 });
    await eventually(async () => (await open()).length === 14, 'all to trip');
    await eventually(() => told().length === 3, 'the first, the critical one and the others');
    const [sum] = house.handset.messages.filter(({ title }) => title === '12 more alerts in a flood') as Body[];
    expect(sum.severity).toBe('warning');
    expect(sum.text).toMatch(/came first, .* ago\. Then: .*and 4 more\. All of them stand on the page of alerts\.$/);
    expect(house.handset.messages.filter(({ severity }) => severity === 'critical')).toHaveLength(1);
    // Told as any other: nobody is told again, and whoever comes next in a route comes.
    const rows = await house.database('alert').whereNull('cleared_at').select('told');
    expect(rows.map((row: { told: Body }) => Object.keys(row.told.at))).toEqual(Array.from({ length: 14 }, () => ['0']));
  });

  it('what trips later in it waits for the next message of that minute: over a restart too; a critical one does not', async () => {
    await arm(70, 'warning', 'humidity');
    await arm(72, 'critical', 'humidity');
    house.handset.messages.length = 0;
    await node.up({ humidity: 71 });
    await eventually(async () => (await open()).length === 15, 'it to trip');
    await node.up({ humidity: 73 });
    await eventually(() => told().length > 0, 'the critical one');
    expect(house.handset.messages.map(({ severity }) => severity)).toEqual(['critical']);
    await house.restart();
    await node.up({ temperature: 61 });
    await eventually(() => told().length === 2, 'what was held back');
    expect(told()[1]).toMatch(/^In a flood of alerts: /);
  });

  it('each is told by itself where somebody wants it so', async () => {
    await node.up({ temperature: 20, humidity: 40 });
    await eventually(async () => (await open()).length === 0, 'all to clear');
    await lay({ flood: 'each' });
    house.handset.messages.length = 0;
    await node.up({ temperature: 60 });
    await eventually(() => told().length === 14, 'fourteen messages');
    expect(told().filter((title) => /flood/.test(title))).toEqual([]);
  });

  it('routes that were laid before there was a choice are summed up', async () => {
    await house.restart(() => house.database('route_plan').update({ plan: house.database.raw(`plan - 'flood'`) }));
    expect((await house.maker.get('/api/v1/routes')).body.plan.flood).toBe('sum');
  });
});
