import { dewPointCelsius } from '@dewpost/core/air';
import { eventually, FakeNode, openHouse, type Answer, type Body, type House } from './house';

const HOUR = 3_600_000;
const NOW = Math.floor(Date.now() / 1000) * 1000;

let house: House;
let loft: FakeNode;
let attic: FakeNode;
let loftKey: string;
let atticKey: string;
beforeAll(async () => {
  house = await openHouse({ DEWPOST_JOBS_BY_CLOCK: '0' }, 'taken as done', { timezone: 'Europe/Berlin' });
  loftKey = (await house.node('loft-1', 'Grain loft')).key;
  atticKey = (await house.node('attic-1', 'Attic')).key;
  loft = await FakeNode.connect(house.server.mqttPort, 'loft-1', loftKey);
  attic = await FakeNode.connect(house.server.mqttPort, 'attic-1', atticKey);
});
afterAll(async () => {
  await loft?.end();
  await attic?.end();
  await house?.close();
});

const at = (ms: number, n: string, v: number): object => ({ n, t: ms / 1000, v });
const make = (body: object): Promise<Answer> => house.maker.post('/api/v1/computed', { room: 'Grain loft', label: 'Something', ...body });
const point = (node: string, name: string): object => ({ node, point: name });
const T = point('loft-1', 'temperature');
const H = point('loft-1', 'humidity');
const stored = async (id: number): Promise<[number, number, number][]> =>
  ((await house.database('reading').where({ point_id: id }).orderBy('at')) as { at: Date; value: number; quality: number }[]).map((row) => [
    row.at.getTime(),
    row.value,
    row.quality,
  ]);
const settled = (id: number, want: (rows: [number, number, number][]) => boolean, what: string): Promise<[number, number, number][]> =>
  eventually(async () => {
    const rows = await stored(id);
    const all = (await house.maker.get('/api/v1/computed')).body as Body[];
    return want(rows) && all.every(({ anewFrom }) => anewFrom === null) ? rows : null;
  }, what);

describe('a point that is computed from others', () => {
  it('is computed over all that is stored, and then as readings arrive; rules are judged on it like on any other', async () => {
    for (let i = 10; i > 0; i--) await loft.up([at(NOW - i * HOUR, 'temperature', 10 + i), at(NOW - i * HOUR, 'humidity', 50)]);
    const { status, body } = await make({ label: 'Heat felt', formula: 'absolute-humidity', inputs: [T, H] });
    expect([status, body.node, body.name, body.version, body.problem]).toEqual([200, 'computed-grain-loft', 'heat-felt', 1, null]);
    const past = await settled(body.id, (rows) => rows.length === 10, 'its past');
    expect(past.every(([, value]) => value > 4 && value < 12)).toBe(true);

    const rule = { side: 'high', setpoint: 5.5, deadband: 0.2, severity: 'warning', onDelaySeconds: 0, offDelaySeconds: 0, output: null };
    const made = await house.maker.post('/api/v1/thresholds', { point: body.id, ...rule });
    expect({ status: made.status, detail: made.body.detail }).toEqual({ status: 200, detail: undefined });
    await loft.up([at(NOW, 'temperature', 12), at(NOW, 'humidity', 55)]);
    await settled(body.id, (rows) => rows.length === 11, 'what arrived');
    await eventually(
      async () =>
        ((await house.maker.get('/api/v1/alerts')).body as Body[]).some((alert) => alert.point === body.id && alert.clearedAt === null) ||
        null,
      'its alert',
    );
    // Somebody works at what it is computed from, on another node than its own: what that makes of it says nothing of the room.
    const open = async (): Promise<number> =>
      ((await house.maker.get('/api/v1/alerts?state=open')).body as Body[]).filter((alert) => alert.point === body.id).length;
    const hold = '/api/v1/points/loft-1/humidity/hold';
    expect((await house.maker.post(hold, { minutes: 30 })).status).toBe(200);
    expect(await open()).toBe(0);
    await loft.up([at(NOW + 1000, 'temperature', 13), at(NOW + 1000, 'humidity', 60)]);
    await settled(body.id, (rows) => rows.length === 12, 'what is held to be computed all the same');
    expect(await open()).toBe(0);
    expect((await house.maker.call('DELETE', hold)).status).toBe(200);
    await loft.up([at(NOW + 2000, 'temperature', 13), at(NOW + 2000, 'humidity', 60)]);
    await eventually(async () => (await open()) === 1 || null, 'its rule to be judged again');
    await house.maker.call('DELETE', `/api/v1/thresholds/${made.body.id as number}`);
  });

  it('takes from points of several nodes what they showed then, and nothing that is too old; a late reading puts its past right', async () => {
    const { body } = await make({
      label: 'Warmer than the attic',
      formula: 'difference',
      inputs: [T, point('attic-1', 'temperature')],
      toleranceSeconds: 600,
    });
    await attic.up([at(NOW - 3 * HOUR - 60_000, 'temperature', 5)]);
    // Nothing of the attic at any other hour.
    const one = await settled(body.id, (rows) => rows.length === 1, 'one hour that both have');
    expect(one[0]!.slice(0, 2)).toEqual([NOW - 3 * HOUR, 13 - 5]);
    await attic.up([at(NOW - 6 * HOUR, 'temperature', 6), at(NOW - 3 * HOUR - 30_000, 'temperature', 4)]);
    const two = await settled(body.id, (rows) => rows.length === 2 && rows[1]![1] === 9, 'the late ones to count');
    expect(two.map(([time, value]) => [time, value])).toEqual([
      [NOW - 6 * HOUR, 10],
      [NOW - 3 * HOUR, 9],
    ]);
  });

  it('follows a calibration of what it is computed from, over all that is stored', async () => {
    const { body } = await make({ label: 'Dew at the beam', formula: 'dew-point', inputs: [T, H] });
    const before = await settled(body.id, (rows) => rows.length >= 11, 'its past');
    expect(before[0]![1]).toBeCloseTo(dewPointCelsius(20, 50)!, 6);
    const calibration = { method: 'offset', captures: [{ raw: 20, reference: 21 }], from: NOW - 100 * HOUR };
    expect((await house.maker.post('/api/v1/points/loft-1/temperature/calibrations', calibration)).status).toBe(200);
    const after = await settled(body.id, (rows) => Math.abs(rows[0]![1] - dewPointCelsius(21, 50)!) < 1e-6, 'the calibration to count');
    expect(after).toHaveLength(before.length);
    await house.maker.call('DELETE', '/api/v1/points/loft-1/temperature/calibrations/1');
    await settled(body.id, (rows) => Math.abs(rows[0]![1] - before[0]![1]) < 1e-6, 'what it was before');
  });

  it('may be computed from computed ones, but never from itself over them; another formula is its next version', async () => {
    const all = (await house.maker.get('/api/v1/computed')).body as Body[];
    const dew = all.find((one) => one.name === 'dew-at-the-beam')!;
    const { body: over } = await make({
      label: 'Dew spread',
      formula: 'difference',
      inputs: [T, point(dew.node as string, 'dew-at-the-beam')],
    });
    const spread = await settled(over.id, (rows) => rows.length >= 11, 'a second storey');
    expect(spread[0]![1]).toBeCloseTo(20 - dewPointCelsius(20, 50)!, 6);
    const twice = { method: 'offset', captures: [{ raw: 10, reference: 11 }], from: NOW };
    const calibrated = await house.maker.post(`/api/v1/points/${dew.node as string}/dew-at-the-beam/calibrations`, twice);
    expect([calibrated.status, calibrated.body.detail]).toEqual([422, expect.stringMatching(/calibrate what it is computed from/)]);
    const put = (id: number, body: object) => house.maker.call('PUT', `/api/v1/computed/${id}`, body);
    const circle = await put(dew.id as number, { from: 1, formula: 'mean', inputs: [T, point(over.node as string, 'dew-spread')] });
    expect([circle.status, circle.body.detail]).toEqual([422, expect.stringMatching(/wanted in °C|computed from itself/)]);
    const itself = await put(dew.id as number, { from: 1, formula: 'mean', inputs: [T, point(dew.node as string, 'dew-at-the-beam')] });
    expect([itself.status, itself.body.detail]).toEqual([422, expect.stringMatching(/computed from itself/)]);
    expect((await put(dew.id as number, { from: 9, formula: 'frost-point', inputs: [T, H] })).status).toBe(409);
    const unit = await put(dew.id as number, { from: 1, formula: 'vapour-deficit', inputs: [T, H] });
    expect([unit.status, unit.body.detail]).toEqual([422, expect.stringMatching(/its rules and its record speak of the first/)]);
    // What its inputs are worth, it is worth; what is bad counts for nothing.
    const inputs = (await house.maker.get('/api/v1/snapshot')).body.points as Body[];
    const idOf = (name: string): number => inputs.find((one) => one.node === 'loft-1' && one.name === name)!.id as number;
    const judged = (name: string, hours: number, quality: number) =>
      house
        .database('reading')
        .where({ point_id: idOf(name), at: new Date(NOW - hours * HOUR) })
        .update({ quality });
    await judged('humidity', 5, 1);
    await judged('temperature', 4, 2);
    const next = await put(dew.id as number, { from: 1, formula: 'heat-index', inputs: [T, H] });
    expect([next.status, next.body.version]).toEqual([200, 2]);
    const anew = await settled(
      dew.id as number,
      (rows) => rows.length >= 10 && Math.abs(rows[0]![1] - dewPointCelsius(20, 50)!) > 1,
      'its next version',
    );
    expect(anew.find(([time]) => time === NOW - 5 * HOUR)?.[2]).toBe(1);
    expect(anew.some(([time]) => time === NOW - 4 * HOUR)).toBe(false);
    expect(await house.database('computed_version').where({ point_id: dew.id }).count()).toEqual([{ count: 2 }]);
  });

  it('is refused in words where it makes no sense', async () => {
    const said = async (body: object): Promise<string> => {
      const { status, body: answer } = await make(body);
      return `${status} ${answer.detail as string}`;
    };
    expect(await said({ formula: 'alchemy', inputs: [T] })).toMatch(/^422 There is no formula alchemy/);
    expect(await said({ formula: 'dew-point', inputs: [T] })).toMatch(/^422 Dew point wants 2 points/);
    expect(await said({ formula: 'dew-point', inputs: [T, T] })).toMatch(/^422 Humidity is wanted in %/);
    expect(await said({ formula: 'dew-point', inputs: [T, point('nobody', 'humidity')] })).toMatch(/^404/);
    expect(await said({ formula: 'wet-bulb', inputs: [T, H], parameters: { pressure: 5 } })).toMatch(
      /^422 Air pressure here: from 500 to 1100 hPa/,
    );
    expect(await said({ formula: 'dew-point', inputs: [T, H], parameters: { colour: 1 } })).toMatch(/^422 Dew point has no figure colour/);
    for (const who of [house.keeper]) {
      const { status } = await who.post('/api/v1/computed', { room: 'Attic', label: 'x', formula: 'dew-point', inputs: [T, H] });
      expect(status).toBe(403);
    }
  });

  it('an output’s read-backs are its record, a reading at each change: how often and how long it ran is computed like anything else', async () => {
    const snapshot = (await house.maker.get('/api/v1/snapshot')).body;
    const output = (snapshot.points as Body[]).find((one) => one.node === 'loft-1' && one.name === 'humidifier')!;
    const { body: starts } = await make({ label: 'Humidifier starts', formula: 'starts-today', inputs: [point('loft-1', 'humidifier')] });
    expect(starts.problem).toBeNull();
    const { body: ran } = await make({ label: 'Humidifier ran', formula: 'open-today', inputs: [point('loft-1', 'humidifier')] });
    const say = (state: boolean | null, change: object = {}): void =>
      loft.done({ id: null, point: 'humidifier', result: 'done', reason: 'report', state, readBack: 'contact', ...change });
    const values = async (): Promise<number[]> => (await stored(output.id as number)).map(([, value]) => value);
    say(false);
    await eventually(async () => (await values()).length === 1, 'the first');
    // Said again it is no change; what is not known is no state.
    for (const state of [false, null, true, true, false] as const) say(state);
    await eventually(async () => (await values()).length === 3, 'on and off');
    expect(await values()).toEqual([0, 1, 0]);
    await settled(starts.id as number, (rows) => rows.at(-1)?.[1] === 1, 'one start');
    await settled(ran.id as number, (rows) => rows.length > 0 && rows.every(([, value]) => value >= 0 && value < 1), 'less than a minute');
    // After a restart it is known what was said last.
    await house.restart();
    loft = await FakeNode.connect(house.server.mqttPort, 'loft-1', loftKey);
    attic = await FakeNode.connect(house.server.mqttPort, 'attic-1', atticKey);
    say(false);
    say(true);
    await eventually(async () => (await values()).length === 4, 'on again');
    expect(await values()).toEqual([0, 1, 0, 1]);
    for (const { id } of [starts, ran]) expect((await house.maker.call('DELETE', `/api/v1/computed/${id as number}`)).status).toBe(200);
  });

  it('takes in no file, and its node has no key to revoke or to change', async () => {
    const all = (await house.maker.get('/api/v1/computed')).body as Body[];
    const dew = all.find((one) => one.name === 'dew-at-the-beam')!;
    const before = await stored(dew.id as number);
    const asked = await fetch(`${house.server.url}/api/v1/imports?map=T:${dew.node as string}/dew-at-the-beam`, {
      method: 'POST',
      headers: { 'content-type': 'text/csv', cookie: house.maker.cookie() },
      body: 'Time,T\n2024-01-01 00:00,1\n2024-01-01 00:10,2\n',
    });
    const { id } = (await asked.json()) as { id: number };
    const read = await eventually(async () => {
      const { body } = await house.maker.get(`/api/v1/imports/${id}`);
      return body.state === 'read' ? body : null;
    }, 'the file to be looked through');
    expect(JSON.stringify(read.asks)).toMatch(/There is no point .*dew-at-the-beam that is recorded/);
    await house.maker.call('DELETE', `/api/v1/imports/${id}`);
    expect(await stored(dew.id as number)).toEqual(before);
    for (const [path, body] of [
      [`/api/v1/nodes/${dew.node as string}/keys/revoke`, {}],
      ['/api/v1/nodes/keys/rotate', { nodes: [dew.node] }],
    ] as const)
      expect((await house.maker.post(path, body)).status).toBe(422);
  });

  it('stands still and says so when a node it needs is retired; is taken away only when nothing hangs on it', async () => {
    const all = (await house.maker.get('/api/v1/computed')).body as Body[];
    const warmer = all.find((one) => one.name === 'warmer-than-the-attic')!;
    const dew = all.find((one) => one.name === 'dew-at-the-beam')!;
    expect((await house.maker.call('DELETE', `/api/v1/computed/${dew.id as number}`)).body.detail).toMatch(
      /Dew spread is computed from it/,
    );
    await attic.end();
    expect((await house.maker.post('/api/v1/nodes/attic-1/retire', {})).status).toBe(200);
    await eventually(
      async () => ((await house.maker.get('/api/v1/computed')).body as Body[]).find((one) => one.id === warmer.id)?.problem,
      'it to say so',
    );
    expect(await stored(warmer.id as number)).toHaveLength(2);
    expect((await house.maker.call('DELETE', `/api/v1/computed/${warmer.id as number}`)).status).toBe(200);
    expect(await stored(warmer.id as number)).toEqual([]);
    expect((await house.maker.call('DELETE', `/api/v1/computed/${warmer.id as number}`)).status).toBe(404);
    const snapshot = (await house.maker.get('/api/v1/snapshot')).body;
    expect(snapshot.points.some((one: Body) => one.id === warmer.id)).toBe(false);
  });
});
