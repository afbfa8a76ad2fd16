import { createServer, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let hook: Server;
const heard: { title: string; text: string }[] = [];
let way: number;
let node: FakeNode;
let points: Record<string, number>;
beforeAll(async () => {
  hook = createServer((request, response) => {
    const chunks: Buffer[] = [];
    request.on('data', (chunk: Buffer) => chunks.push(chunk));
    request.on('end', () => {
      heard.push(JSON.parse(Buffer.concat(chunks).toString()));
      response.end();
    });
  });
  const port = await new Promise<number>((resolve) => hook.listen(0, '127.0.0.1', () => resolve((hook.address() as AddressInfo).port)));
  house = await openHouse({ DEWPOST_OUTGOING_ALLOW: `127.0.0.1:${port}` });
  way = (await house.maker.post('/api/v1/ways', { kind: 'webhook', name: 'Millwright', url: `http://127.0.0.1:${port}/` })).body.id;
  const made = await house.node('loft-1', 'Grain loft');
  points = made.points;
  // What is told here is what its readings trip: however slow the machine, it does not fall silent between them.
  await house.maker.call('PUT', '/api/v1/nodes/interval', { nodes: ['loft-1'], reportSeconds: 60 });
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key, { retry: true });
});
afterAll(async () => {
  await node?.end();
  await house?.close();
  hook?.closeAllConnections();
  hook?.close();
});

const told = (): string[] => house.handset.messages.map(({ title }) => title);
const route = (change: object = {}): object => ({
  courses: [{ afterMinutes: 0, to: ['handset'], everyMinutes: null }],
  quiet: 'tell',
  allClear: 'never',
  ...change,
});
const plan = (warning: object = {}, change: object = {}): object => ({
  quiet: null,
  routes: { advisory: route(), warning: route(warning), critical: route() },
  // Told by themselves, however often something trips within ten minutes here.
  flood: 'each',
  allWell: null,
  ...change,
});
const STAIRS = {
  courses: [
    { afterMinutes: 0, to: ['handset'], everyMinutes: null },
    { afterMinutes: 10, to: [] as unknown[], everyMinutes: null },
    { afterMinutes: 20, to: ['handset'], everyMinutes: 5 },
  ],
};
const lay = async (body: object) => {
  const { version } = (await house.maker.get('/api/v1/routes')).body;
  return house.maker.call('PUT', '/api/v1/routes', { from: version, plan: body });
};
const arm = async (point: string, change: object = {}): Promise<number> =>
  (
    await house.maker.post('/api/v1/thresholds', {
      ...{ point: points[point], side: 'high', setpoint: 30, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0 },
      ...{ severity: 'warning', output: null, ...change },
    })
  ).body.id;
const open = async (): Promise<Body[]> => (await house.maker.get('/api/v1/alerts?state=open')).body;
const trip = async (): Promise<Body> => {
  await node.up({ temperature: 35 });
  return eventually(async () => (await open()).find(({ kind }) => kind === 'threshold'), 'it to trip');
};
/** So much time passes at what is open, while the server is down. */
const later = (minutes: number): Promise<void> =>
  house.restart(() =>
    house
      .database('alert')
      .whereNull('cleared_at')
      .update({ tripped_at: house.database.raw(`tripped_at - ? * interval '1 minute'`, [minutes]) }),
  );
const forget = (): void => {
  heard.length = 0;
  house.handset.messages.length = 0;
};

describe('routes', () => {
  it('before anybody lays them everything goes at once to everybody; only makers lay them, and never over another’s', async () => {
    const { body } = await house.keeper.get('/api/v1/routes');
    expect(body).toMatchObject({ version: 0, handset: true, plan: { quiet: null, allWell: null } });
    expect(body.plan.routes.critical.courses).toEqual([{ afterMinutes: 0, to: ['handset', way], everyMinutes: null }]);
    expect((await house.keeper.call('PUT', '/api/v1/routes', { from: 0, plan: plan() })).status).toBe(403);
    expect((await lay(plan())).body.version).toBe(1);
    const beaten = await house.maker.call('PUT', '/api/v1/routes', { from: 0, plan: plan() });
    expect([beaten.status, beaten.body.current.version]).toEqual([409, 1]);
  });

  it.each([
    [plan({ courses: [{ afterMinutes: 0, to: [], everyMinutes: null }] }), 'body.plan.routes.warning.courses.0.to'],
    [plan({ courses: [{ afterMinutes: 0, to: [999], everyMinutes: null }] }), 'body.plan.routes.warning.courses'],
    [plan({ courses: [...STAIRS.courses.slice(2), STAIRS.courses[0]!] }), 'body.plan.routes.warning.courses'],
    [plan({ courses: [{ afterMinutes: 0, to: ['handset'], everyMinutes: 0 }] }), 'body.plan.routes.warning.courses.0.everyMinutes'],
    [plan({}, { quiet: { from: 1440, to: 0 } }), 'body.plan.quiet.from'],
    [plan({}, { allWell: { minute: 0, to: [999] } }), 'body.plan.allWell.to'],
  ])('what cannot be is told by its field, and nothing changes', async (body, path) => {
    const before = (await house.maker.get('/api/v1/routes')).body;
    const { status, body: answer } = await lay(body);
    expect([status, answer.errors?.[0]?.path]).toEqual([422, path]);
    expect((await house.maker.get('/api/v1/routes')).body).toEqual(before);
  });

  it('a critical alert always has a way inside the building', async () => {
    const outside = { courses: [{ afterMinutes: 0, to: [way], everyMinutes: null }] };
    const { status, body } = await lay(plan({}, { routes: { advisory: route(), warning: route(), critical: route(outside) } }));
    expect([status, body.detail]).toEqual([422, expect.stringMatching(/needs a way inside the building/)]);
  });

  it('climb to whoever comes next while nobody acknowledges, over a restart, each course once; and stop when somebody does', async () => {
    STAIRS.courses[1]!.to = [way];
    expect((await lay(plan({ ...STAIRS, allClear: 'always' }))).status).toBe(200);
    await arm('temperature');
    const alert = await trip();
    await eventually(() => told().length === 1, 'the first course');
    await later(11);
    await eventually(() => heard.length === 1, 'the second course');
    expect(heard[0]!.text).toMatch(/Nobody has acknowledged it for 11 min/);
    expect(told()).toEqual([alert.title]);
    await house.keeper.post(`/api/v1/alerts/${alert.id as number}/acknowledge`, {});
    await later(15);
    // Acknowledged: the third course, long due, never goes. That it is over goes to both who were told.
    await node.up({ temperature: 20 });
    await eventually(() => heard.length === 2 && told().length === 2, 'both to hear that it is over');
    expect([heard[1]!.title, told()[1]]).toEqual([`Over: ${alert.title as string}`, `Over: ${alert.title as string}`]);
    const [row] = await house.database('alert').where({ id: alert.id });
    expect([Object.keys(row.told.at), row.told.to]).toEqual([
      ['0', '1'],
      ['handset', way],
    ]);
  });

  it('a server that was away for an hour tells the newest of each course, not all that it missed', async () => {
    forget();
    await trip();
    await eventually(() => told().length === 1, 'the first course');
    await later(61);
    await eventually(() => heard.length === 1 && told().length === 2, 'the other courses');
    const [row] = await house.database('alert').whereNull('cleared_at');
    expect([Object.keys(row.told.at), row.told.at[2] - row.tripped_at.getTime()]).toEqual([['0', '1', '2'], 60 * 60_000]);
    await node.up({ temperature: 20 });
    await eventually(async () => (await open()).length === 0, 'it to clear');
  });

  it('what trips in quiet hours is kept until they end, and then goes as one message; by day nobody hears that it is over by night', async () => {
    forget();
    await arm('humidity', { setpoint: 60 });
    const now = new Date();
    const minute = (of: number): number => (of + 1440) % 1440;
    const at = now.getUTCHours() * 60 + now.getUTCMinutes();
    const night = { from: minute(at - 120), to: minute(at + 60) };
    expect((await lay(plan({ quiet: 'keep', allClear: 'by day' }, { quiet: night }))).status).toBe(200);
    await node.up({ temperature: 35, humidity: 70 });
    await eventually(async () => (await open()).length === 2, 'both to trip');
    await later(90);
    expect(told()).toEqual([]);
    // The night is over a minute ago.
    expect((await lay(plan({ quiet: 'keep', allClear: 'by day' }, { quiet: { ...night, to: at } }))).status).toBe(200);
    await eventually(() => told().length > 0, 'what was kept');
    expect(told()).toEqual(['2 alerts kept over the quiet hours']);
    await lay(plan({ allClear: 'by day' }, { quiet: night }));
    await node.up({ temperature: 20, humidity: 40 });
    await eventually(async () => (await open()).length === 0, 'both to clear');
    expect(told()).toHaveLength(1);
  });

  it('a way that fails three times gives way to the next course at once', async () => {
    forget();
    await lay(plan(STAIRS));
    house.handset.off = true;
    const alert = await trip();
    await eventually(() => heard.length === 1, 'the second course, ten minutes early');
    expect(heard[0]!.title).toBe(alert.title);
    // It waited for nobody: that is not said.
    expect(heard[0]!.text).toMatch(/Whoever was to be told before was not reached\.$/);
    house.handset.off = false;
    await node.up({ temperature: 20 });
    await eventually(async () => (await open()).length === 0, 'it to clear');
  });

  it('a rule with ways of its own tells those, at once and once', async () => {
    forget();
    const rule = await arm('temperature', { setpoint: 50, route: [way] });
    await node.up({ temperature: 55 });
    await eventually(() => heard.length === 1, 'its own way');
    await later(61);
    expect(heard).toHaveLength(1);
    await house.maker.call('DELETE', `/api/v1/thresholds/${rule}`);
    await node.up({ temperature: 20 });
    await eventually(async () => (await open()).length === 0, 'everything to clear');
  });

  it('says once a day that all is well, where somebody asked for it: or what is not', async () => {
    forget();
    const now = new Date();
    const minute = now.getUTCHours() * 60 + now.getUTCMinutes();
    expect((await lay(plan({}, { allWell: { minute, to: ['handset', way] } }))).status).toBe(200);
    await eventually(() => heard.length === 1 && told().length === 1, 'the word of the day');
    expect(heard[0]!.title).toMatch(/^All well: \d+ of \d+ nodes heard$/);
    await later(0);
    await node.up({ temperature: 21 });
    expect(told()).toHaveLength(1);
    // Of tomorrow's nobody knows yet; with something open it does not say that all is well.
    await trip();
    forget();
    await house.restart(() => house.database('site').update({ all_well_at: new Date(Date.now() - 86_400_000) }));
    await eventually(() => heard.length === 1, 'the word of another day');
    expect(heard[0]!.title).toMatch(/^1 alert open, \d+ of \d+ nodes heard$/);
    expect(heard[0]!.text).toContain('temperature too high');
  });

  it('a way that somebody is told by is not taken from under the route or the rule that names it', async () => {
    const remove = () => house.maker.call('DELETE', `/api/v1/ways/${way}`);
    const rule = await arm('humidity', { setpoint: 90, route: [way] });
    const [named] = [await remove()];
    expect([named.status, named.body.detail]).toEqual([409, expect.stringMatching(/the rule on .* names it/)]);
    await house.maker.call('DELETE', `/api/v1/thresholds/${rule}`);
    expect((await remove()).body.detail).toMatch(/^Routes name it/);
    await lay(plan());
    expect((await remove()).status).toBe(200);
  });
});
