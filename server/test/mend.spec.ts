import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
beforeAll(async () => (house = await openHouse()));
afterAll(() => house?.close());

const SHEET = {
  board: 'wifi-dual-38',
  supply: 'usb',
  reportSeconds: 30,
  eventsPerDay: 0,
  outdoors: false,
  cableMetres: 0.5,
  fixed: {},
  dividers: {},
};
const load = { name: 'Fan', kind: 'motor', amps: 1, safe: 'off', machine: 'none', protectedBy: '' };
const save = async (name: string, parts: object[], more: object = {}): Promise<Body> => {
  const { status, body } = await house.maker.post('/api/v1/build-sheets', { name, draft: { ...SHEET, ...more, parts }, base: null });
  if (status !== 200) throw new Error(JSON.stringify(body));
  return body;
};
const make = async (id: string, buildSheet: string): Promise<{ key: string; points: Record<string, number> }> => {
  const { status, body } = await house.maker.post('/api/v1/nodes', { id, room: 'Grain loft', buildSheet });
  if (status !== 200) throw new Error(JSON.stringify(body));
  return { key: body.key, points: Object.fromEntries(body.points.map((point: Body) => [point.name, point.id])) };
};
const nodeOf = async (id: string): Promise<Body> => (await house.maker.get('/api/v1/nodes')).body.find((one: Body) => one.id === id);
const runOf = async (id: string): Promise<Body> =>
  (await house.maker.get('/api/v1/provision/runs')).body.find((one: Body) => one.node === id);
const alertsOf = async (id: string): Promise<Body[]> =>
  (await house.maker.get('/api/v1/alerts?state=all')).body.filter((one: Body) => one.node === id);

/** Waits until an answer to a command is kept: what it would have set off is written with it. */
const answered = (command: string | null): Promise<unknown> =>
  eventually(
    async () => (await house.database('command').where({ id: command }).first('answered_at')).answered_at,
    'the answer is kept with its command',
  );
/** Waits until a reading of this value is stored: all that the node said before it has been judged. */
const stored = (point: number, value: number): Promise<unknown> =>
  eventually(() => house.database('reading').where({ point_id: point, value }).first('value'), `${value} is stored`);

describe('a hatch left open', () => {
  it('trips by time alone, with no further report, and reaches the handset; whatever a client says of how it confirms', async () => {
    await save('Hatch post', [{ ref: 'door', part: 'reed-open' }]);
    const { key, points } = await make('hatch-1', 'hatch-post');
    const born = (await house.maker.get('/api/v1/thresholds')).body.find((one: Body) => one.point === points['open']);
    expect([born.confirm, born.onDelaySeconds]).toEqual(['hold', 600]);
    const made = await house.maker.post('/api/v1/thresholds', {
      point: points['open'],
      side: 'high',
      setpoint: 0.5,
      deadband: 0.4,
      onDelaySeconds: 2,
      offDelaySeconds: 0,
      severity: 'warning',
      confirm: 'readings',
      output: null,
    });
    expect([made.status, made.body.confirm]).toEqual([200, 'hold']);
    const node = await FakeNode.connect(house.server.mqttPort, 'hatch-1', key);
    await node.up([{ n: 'open', v: 0 }]);
    await eventually(async () => (await nodeOf('hatch-1')).state === 'proved', 'proved by its first report');
    await node.up([{ n: 'open', v: 1 }]);
    // Nothing more is said: the door stays open.
    await eventually(() => house.handset.messages.some((one) => one.title === 'Open for 2 s'), 'the handset hears of it');
    const [alert] = (await alertsOf('hatch-1')).filter((one) => one.threshold === made.body.id);
    expect(alert).toMatchObject({ kind: 'threshold', clearedAt: null, earlier: false });
    await node.up([{ n: 'open', v: 0 }]);
    await eventually(async () => (await alertsOf('hatch-1')).find((one) => one.id === alert!.id)!.clearedAt, 'shut again');
    await node.end();
  });
});

describe('what a relay reads back', () => {
  const fan = async (id: string, obeys = false) => {
    const { key, points } = await house.node(id);
    const node = await FakeNode.connect(house.server.mqttPort, id, key, { obeys });
    await node.say(60);
    await eventually(async () => (await nodeOf(id)).state === 'proved', 'proved');
    return { node, output: points['humidifier']!, humidity: points['humidity']! };
  };
  const told = async (node: FakeNode, count: number) => eventually(() => node.commands[count - 1], `command ${count}`);
  const done = { point: 'humidifier', result: 'done', reason: 'demand', readBack: 'contact' } as const;
  const stuck = async (id: string): Promise<Body> => (await alertsOf(id)).find((one) => one.kind === 'output-stuck');
  const relay = async (output: number): Promise<Body> =>
    (await house.maker.get('/api/v1/relays')).body.find((one: Body) => one.point === output);

  it('a late answer to an older renewal is no welded contact, and does not pass for the state of now', async () => {
    const { node, output, humidity } = await fan('late-1');
    await house.maker.post(`/api/v1/relays/${output}/switch`, { on: true, seconds: 60, reason: 'test' });
    const first = await told(node, 1);
    await house.maker.post(`/api/v1/relays/${output}/switch`, { on: false, reason: 'test' });
    const off = await eventually(() => node.commands.find((one) => !one.value), 'off');
    // The answer to "on" comes after "off" was told.
    node.done({ ...done, id: first.id, state: true });
    node.done({ ...done, id: off.id, state: false });
    await eventually(async () => (await relay(output)).state === false, 'reads off');
    node.done({ ...done, id: first.id, state: true });
    await answered(first.id);
    await node.say(61.5);
    await stored(humidity, 61.5);
    expect([await stuck('late-1'), (await relay(output)).state]).toEqual([undefined, false]);
    await node.end();
  });
  it('the answer to off itself that reads on is critical, and so is one that comes by itself after the contact has settled', async () => {
    const { node, output } = await fan('weld-1');
    await house.maker.post(`/api/v1/relays/${output}/switch`, { on: true, seconds: 60, reason: 'test' });
    node.done({ ...done, id: (await told(node, 1)).id, state: true });
    await house.maker.post(`/api/v1/relays/${output}/switch`, { on: false, reason: 'test' });
    const off = await eventually(() => node.commands.find((one) => !one.value), 'off');
    // Held on by its minimum time is not welded.
    node.done({ ...done, id: off.id, state: true, result: 'held', reason: 'min-on' });
    await answered(off.id);
    expect(await stuck('weld-1')).toBeUndefined();
    node.done({ ...done, id: off.id, state: true });
    const alert = await eventually(() => stuck('weld-1'), 'reads on after off');
    expect(alert).toMatchObject({ severity: 'critical', clearedAt: null });
    node.done({ ...done, id: null, state: false });
    await eventually(async () => (await stuck('weld-1'))!.clearedAt, 'reads off at last');
    await node.end();
  });
});

describe('proved', () => {
  it('a node that stopped at its first readings is not proved by starting anew', async () => {
    const { key, points } = await house.node('again-1');
    await house.maker.post('/api/v1/provision/elsewhere', { node: 'again-1' });
    const node = await FakeNode.connect(house.server.mqttPort, 'again-1', key);
    await eventually(async () => (await nodeOf('again-1')).state === 'written', 'joined');
    for (const humidity of [0, 0, 0]) await node.say(humidity);
    await eventually(async () => (await nodeOf('again-1')).state === 'stopped', 'stopped');
    await node.end();
    const after = await FakeNode.connect(house.server.mqttPort, 'again-1', key);
    for (const humidity of [0, 0, 0, 55, 55.1]) await after.say(humidity);
    await eventually(
      async () => (await house.database('node_log').where('body', 'like', 'started:%').count('* as n'))[0]!.n,
      'hello heard',
    );
    await stored(points['humidity']!, 55.1);
    expect((await nodeOf('again-1')).state).toBe('stopped');
    await after.end();
  });
  it('a node of outputs only: by contact, and by reading back each output after it was told to go off', async () => {
    await save('Two relays', [
      { ref: 'first', part: 'relay-1', load },
      { ref: 'second', part: 'relay-1', load: { ...load, name: 'Lamp' } },
    ]);
    const { key } = await make('relays-1', 'two-relays');
    await house.maker.post('/api/v1/provision/elsewhere', { node: 'relays-1' });
    const node = await FakeNode.connect(house.server.mqttPort, 'relays-1', key);
    await eventually(async () => (await nodeOf('relays-1')).state === 'proved', 'proved');
    expect(node.commands.map(({ point, value }) => [point, value])).toEqual([
      ['fan', false],
      ['lamp', false],
    ]);
    const run = await runOf('relays-1');
    expect([run.result, run.steps.at(-1)]).toEqual([
      'proved',
      expect.objectContaining({ step: 'readings', detail: 'Fan reads back off by its contact; Lamp reads back off by its contact' }),
    ]);
    await node.end();
  });
  it('is not, where an output reads on, or says nothing', async () => {
    const { key } = await make('relays-2', 'two-relays');
    await house.maker.post('/api/v1/provision/elsewhere', { node: 'relays-2' });
    const node = await FakeNode.connect(house.server.mqttPort, 'relays-2', key, { obeys: false });
    await eventually(() => node.commands.length === 2, 'both are told');
    const done = { result: 'done', reason: 'demand', readBack: 'contact' } as const;
    node.done({ ...done, id: node.commands[0]!.id, point: 'fan', state: false });
    await answered(node.commands[0]!.id);
    expect((await nodeOf('relays-2')).state).toBe('written');
    node.done({ ...done, id: node.commands[1]!.id, point: 'lamp', state: true });
    await eventually(async () => (await nodeOf('relays-2')).state === 'stopped', 'stopped');
    expect((await runOf('relays-2')).steps.at(-1)).toMatchObject({
      step: 'readings',
      state: 'failed',
      code: 'output-reads-on',
      detail: 'Lamp reads on after off',
    });
    await node.end();
  });
});

describe('what is seen', () => {
  it('is acknowledged many at once by whom it is; what somebody saw before keeps that name, and one unknown alert spoils nothing', async () => {
    const made = [];
    for (const id of ['seen-1', 'seen-2', 'seen-3']) {
      const { key, points } = await house.node(id);
      await house.maker.post('/api/v1/thresholds', {
        point: points['humidity'],
        side: 'low',
        setpoint: 60,
        deadband: 5,
        onDelaySeconds: 0,
        offDelaySeconds: 0,
        severity: 'warning',
        output: null,
      });
      const node = await FakeNode.connect(house.server.mqttPort, id, key);
      await node.say(62);
      await node.say(50);
      made.push(await eventually(async () => (await alertsOf(id)).find((one) => one.kind === 'threshold'), `${id} trips`));
      await node.end();
    }
    const [first, second, third] = made.map((one) => one!.id);
    await house.keeper.call('POST', `/api/v1/alerts/${first}/acknowledge`, {});
    const { status, body } = await house.maker.post('/api/v1/alerts/acknowledge', { ids: [first, second, 999_999] });
    expect(status).toBe(200);
    expect(body.map((one: Body) => [one.id, one.acknowledgedBy]).sort()).toEqual(
      [
        [first, 'baker'],
        [second, 'millwright'],
      ].sort(),
    );
    const waits = (await house.maker.get('/api/v1/alerts?state=open')).body.find((one: Body) => one.id === third);
    expect(waits.acknowledgedAt).toBeNull();
    const events = await house.database('alert_event').where({ what: 'acknowledged' }).whereIn('alert_id', [first, second]);
    expect(events).toHaveLength(2);
    expect((await house.maker.post('/api/v1/alerts/acknowledge', { ids: [] })).status).toBe(422);
  });
});

describe('rooms', () => {
  it('whose names have no Latin letters are two rooms with a dashboard each, and none takes the address of all of them', async () => {
    for (const [id, room] of [
      ['room-1', '水车'],
      ['room-2', '磨坊'],
      ['room-3', ' 水车 '],
      ['room-4', 'All'],
    ] as const) {
      const { status } = await house.maker.post('/api/v1/nodes', { id, room, buildSheet: 'climate-post' });
      expect([id, status]).toEqual([id, 200]);
    }
    const rows = await house.database('room').whereIn('name', ['水车', '磨坊', 'All']).orderBy('id');
    expect(rows.map((row) => [row.name, row.slug])).toEqual([
      ['水车', 'room'],
      ['磨坊', 'room-2'],
      ['All', 'all-2'],
    ]);
  });
});

describe('ordinary switching', () => {
  it('is one line in the journal: nobody is told, nothing waits to be acknowledged, and the output follows', async () => {
    const { key, points } = await house.node('quiet-1');
    const rule = {
      point: points['humidity'],
      side: 'low',
      setpoint: 60,
      deadband: 5,
      onDelaySeconds: 0,
      offDelaySeconds: 0,
      severity: 'advisory',
    };
    const alone = await house.maker.post('/api/v1/thresholds', { ...rule, output: null, tells: 'journal' });
    expect([alone.status, alone.body.detail]).toEqual([422, expect.stringMatching(/has to warn/)]);
    await house.maker.post('/api/v1/thresholds', { ...rule, output: points['humidifier'], tells: 'journal' });
    const node = await FakeNode.connect(house.server.mqttPort, 'quiet-1', key);
    const before = house.handset.messages.length;
    await node.say(62);
    await node.say(50);
    await eventually(() => node.commands.some((one) => one.value), 'on');
    // A line in what happened, and no alert.
    const { alerts } = (await house.keeper.get('/api/v1/snapshot')).body as { alerts: { node: string; kind: string; journal: boolean }[] };
    expect(alerts.filter(({ node: of }) => of === 'quiet-1').map((one) => [one.kind, one.journal])).toEqual([['threshold', true]]);
    expect(await alertsOf('quiet-1')).toEqual([]);
    expect(house.handset.messages.slice(before)).toEqual([]);
    await node.end();
  });
});

describe('the configuration of what joins slowly', () => {
  it('a gateway gets the time its modem takes and never backs off; a sleeping node backs off', async () => {
    await save('Hut gateway', [{ ref: 'level', part: 'signal-level' }], {
      board: 'gateway-board',
      supply: 'mains-backup-12',
      reportSeconds: 60,
    });
    await save('Sleeping post', [{ ref: 'air', part: 'climate-i2c' }], {
      board: 'wifi-dual-bare',
      supply: 'lithium-ion',
      reportSeconds: 3600,
    });
    await make('hut-1', 'hut-gateway');
    await make('post-1', 'sleeping-post');
    const join = async (id: string): Promise<Body> => (await house.maker.get(`/api/v1/nodes/${id}/configuration/json`)).body.join;
    expect(await join('hut-1')).toEqual({ seconds: 120, then: 'set-up' });
    expect(await join('post-1')).toEqual({ seconds: 10, then: 'back off' });
  });
});
