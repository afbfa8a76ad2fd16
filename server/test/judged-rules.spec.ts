import { eventually, FakeNode, openHouse, type Answer, type Body, type House } from './house';

let house: House;
let near: FakeNode;
let far: FakeNode;
let points: Record<string, number>;
let others: Record<string, number>;
let at = 0;

beforeAll(async () => {
  house = await openHouse({}, 'taken as done');
  const [first, second] = [await house.node('loft-1', 'Grain loft'), await house.node('loft-2', 'Grain loft')];
  [points, others] = [first.points, second.points];
  near = await FakeNode.connect(house.server.mqttPort, 'loft-1', first.key, { retry: true });
  far = await FakeNode.connect(house.server.mqttPort, 'loft-2', second.key, { retry: true });
  at = Date.now() - 30_000;
  await far.say(60, at);
  await near.say(60, at);
}, 60_000);
afterAll(async () => {
  await near?.end();
  await far?.end();
  await house?.close();
});

const RULE = { side: 'high', setpoint: 80, deadband: 0, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
const add = (body: object): Promise<Answer> => house.maker.post('/api/v1/thresholds', { ...RULE, point: points['humidity'], ...body });
/** A silence takes seven seconds by itself. */
const PATIENCE_MS = 20_000;
/** A rule in force, and what becomes of its alerts. */
async function armed(body: object) {
  const { status, body: made } = await add(body);
  expect([status, made.detail]).toEqual([200, undefined]);
  const id: number = made.id;
  const alerts = async (): Promise<Body[]> =>
    ((await house.maker.get('/api/v1/alerts')).body as Body[]).filter(({ threshold }) => threshold === id);
  return {
    id,
    alerts,
    opened: (count = 1) =>
      eventually(async () => ((await alerts()).length === count ? (await alerts())[0] : null), `${count} alerts of ${id}`, PATIENCE_MS),
    cleared: () =>
      eventually(async () => ((await alerts())[0]?.clearedAt ? (await alerts())[0] : null), `the alert of ${id} to be over`, PATIENCE_MS),
    retire: () => house.maker.call('DELETE', `/api/v1/thresholds/${id}`),
  };
}
/** The next reading, so many seconds after the one before. */
const read = async (value: number, seconds = 0.2, node = near): Promise<void> => {
  at += seconds * 1000;
  await node.say(value, at);
};

describe('what a rule may judge', () => {
  it('a band is left at either end, and its alert says what was read', async () => {
    const band = await armed({ setpoint: 70, judges: { kind: 'band', low: 50 }, deadband: 2 });
    await read(45);
    const alert = await band.opened();
    expect(alert).toMatchObject({ title: 'Humidity outside its band', value: 45 });
    expect(alert.text).toBe('Outside 50.0 % to 70.0 %: 45.0 % in Grain loft (loft-1).');
    await read(51.9);
    expect((await band.alerts())[0].clearedAt).toBeNull();
    await read(52);
    await band.cleared();
    await band.retire();
  });

  it('a change within a time, once the record reaches back as far', async () => {
    const rise = await armed({ setpoint: 10, judges: { kind: 'rate', overSeconds: 4 } });
    await read(60);
    await read(64, 2);
    await read(69, 2);
    expect(await rise.alerts()).toEqual([]);
    await read(71, 1);
    expect(await rise.alerts()).toEqual([]);
    await read(75, 1);
    expect(await rise.opened()).toMatchObject({ title: 'Humidity rises fast', value: 11 });
    expect((await rise.alerts())[0].text).toBe('At or above +10.0 % within 4 s: +11.0 % in Grain loft (loft-1).');
    await rise.retire();
  });

  it('how often it comes', async () => {
    const often = await armed({ setpoint: 2, deadband: 1, judges: { kind: 'count', level: 90, withinSeconds: 3600 } });
    for (const value of [60, 91, 92, 60]) await read(value);
    expect(await often.alerts()).toEqual([]);
    await read(90);
    expect(await often.opened()).toMatchObject({ title: 'Humidity too often', value: 2 });
    await read(60);
    await often.retire();
  });

  it('a silence trips without any report, and ends with the next; it switches nothing on', async () => {
    const silent = await armed({ setpoint: 5, judges: { kind: 'silence' } });
    at = Date.now();
    await near.say(60, at);
    expect(await silent.opened()).toMatchObject({ title: 'Humidity not read', value: 5 });
    at = Date.now();
    await near.say(61, at);
    await silent.cleared();
    await silent.retire();
    const { status, body } = await add({ setpoint: 60, judges: { kind: 'silence' }, output: points['humidifier'] });
    expect([status, body.detail]).toEqual([422, expect.stringMatching(/switches nothing on/)]);
  });

  it('what it reads above another, and says against which', async () => {
    const differs = await armed({ setpoint: 15, judges: { kind: 'difference', point: others['humidity'] } });
    await read(60, 0.2, far);
    await read(74);
    expect(await differs.alerts()).toEqual([]);
    await read(58, 0.2, far);
    const alert = await differs.opened();
    expect(alert).toMatchObject({ title: 'Humidity too far above humidity', value: 16 });
    expect(alert.text).toContain('against humidity of loft-2');
    await differs.retire();
  });

  it('two conditions: nothing trips, and nothing is switched, by one of them', async () => {
    const both = await armed({
      ...{ setpoint: 80, deadband: 5, output: points['humidifier'] },
      also: { join: 'and', point: others['humidity'], side: 'low', setpoint: 50 },
    });
    await read(60, 0.2, far);
    await read(85);
    await read(86);
    expect([await both.alerts(), near.commands.filter(({ value }) => value)]).toEqual([[], []]);
    await read(49, 0.2, far);
    expect((await both.opened()).text).toBe(
      'At or above 80.0 %, and humidity of loft-2 at or below 50.0 %: 86.0 % in Grain loft (loft-1).',
    );
    await eventually(() => near.commands.at(-1)?.value === true, 'on');
    await read(51, 0.2, far);
    await both.cleared();
    await eventually(() => near.commands.at(-1)?.value === false, 'off');
    await both.retire();
  });

  it('a rule that judges more than a value is not the node’s to follow alone, and no setpoint can prove it', async () => {
    const { id, retire } = await armed({ setpoint: 95, judges: { kind: 'rate', overSeconds: 60 }, output: points['humidifier'] });
    const { body } = await house.maker.get('/api/v1/trip-tests');
    const ready = (body.rules as Body[]).find(({ threshold }) => threshold === id);
    expect(ready.hindered).toMatch(/no single value/);
    expect((await house.maker.post(`/api/v1/thresholds/${id}/trip-test`, {})).status).not.toBe(200);
    const kept = await house.database('node').where({ name: 'loft-1' }).first();
    expect(JSON.stringify(kept)).not.toContain('"rate"');
    await retire();
  });
});

describe('several outputs in order', () => {
  it('the next goes on after its wait, where the rule still stands; all go off together', async () => {
    const ordered = await armed({
      ...{ setpoint: 80, deadband: 5, output: points['humidifier'], consequences: ['control'] },
      then: [{ output: others['humidifier'], afterSeconds: 2 }],
    });
    await read(60, 0.2, far);
    await read(60);
    await read(85);
    await eventually(() => near.commands.at(-1)?.value === true, 'the first');
    const begun = Date.now();
    expect(far.commands.filter(({ value }) => value)).toEqual([]);
    await eventually(() => far.commands.at(-1)?.value === true, 'the second');
    expect(Date.now() - begun).toBeGreaterThan(1000);
    await read(60);
    await eventually(() => near.commands.at(-1)?.value === false && far.commands.at(-1)?.value === false, 'both off');
    await ordered.retire();
  });
  it('what clears before its turn never has it', async () => {
    const ordered = await armed({
      ...{ setpoint: 80, deadband: 5, output: points['humidifier'], consequences: ['control'] },
      then: [{ output: others['humidifier'], afterSeconds: 2 }],
    });
    const before = far.commands.filter(({ value }) => value).length;
    await read(85);
    await eventually(() => near.commands.at(-1)?.value === true, 'the first');
    await read(60);
    await eventually(() => near.commands.at(-1)?.value === false, 'off');
    const demands = await house.database('demand').where({ threshold_id: ordered.id }).whereNull('ended_at');
    expect([demands, far.commands.filter(({ value }) => value).length]).toEqual([[], before]);
    await ordered.retire();
  });
  it.each([
    [{ output: null, then: [{ output: 1, afterSeconds: 5 }], consequences: ['alert'] }, /choose the first/],
    [{ act: 'off', then: [{ output: 1, afterSeconds: 5 }] }, /off goes at once/],
  ])('%j has no order, and says so', async (body, why) => {
    const { status, body: said } = await add({ output: points['humidifier'], ...body });
    expect([status, said.detail]).toEqual([422, expect.stringMatching(why)]);
  });
  it('each comes once, and later than the one before it', async () => {
    const [first, next] = [points['humidifier'], others['humidifier']];
    const twice = await add({ output: first, then: [{ output: first, afterSeconds: 5 }] });
    const back = await add({
      output: first,
      then: [
        { output: next, afterSeconds: 9 },
        { output: others['second'] ?? others['first-output'] ?? first, afterSeconds: 5 },
      ],
    });
    const none = await add({ output: first, then: [{ output: points['humidity'], afterSeconds: 5 }] });
    expect([twice.body.detail, back.status, none.body.detail]).toEqual([
      expect.stringMatching(/comes twice/),
      422,
      expect.stringMatching(/is not an output/),
    ]);
  });
});

describe('a rule that needs another point', () => {
  it('is stood down while somebody works at that point, and keeps its node from being retired', async () => {
    const both = await armed({
      ...{ setpoint: 80, deadband: 5, output: points['humidifier'], consequences: ['alert', 'control'] },
      also: { join: 'and', point: others['humidity'], side: 'low', setpoint: 50 },
    });
    await read(45, 0.2, far);
    await read(85);
    await both.opened();
    await eventually(() => near.commands.at(-1)?.value === true, 'on');
    await house.maker.post('/api/v1/points/loft-2/humidity/hold', { minutes: 10 });
    expect((await both.cleared()).clearedWhy).toBe('held: somebody works at it');
    await eventually(() => near.commands.at(-1)?.value === false, 'off');
    // What the held point said is nothing to go by.
    await read(45, 0.2, far);
    await read(86);
    expect(await both.alerts()).toHaveLength(1);
    await house.maker.call('DELETE', '/api/v1/points/loft-2/humidity/hold');
    await read(60);

    const retired = await house.maker.post('/api/v1/nodes/loft-2/retire', {});
    expect([retired.status, retired.body.detail]).toEqual([409, expect.stringMatching(/needs its Humidity: change that first/)]);
    await both.retire();
  });
});

describe('a latched alert', () => {
  it('stands until somebody has seen and reset it, over a restart as well; what trips again waits to be seen again', async () => {
    const latched = await armed({ setpoint: 80, deadband: 5, latching: true, output: points['humidifier'] });
    const reset = (id: number, by = house.keeper): Promise<Answer> => by.post(`/api/v1/alerts/${id}/reset`, {});
    await read(82);
    const { id } = await latched.opened();
    await eventually(() => near.commands.at(-1)?.value === true, 'on');
    expect([(await reset(id)).status, (await reset(id)).body.detail]).toEqual([409, expect.stringMatching(/still stands/)]);

    await read(70);
    // What it switched ends with its condition; the alert does not.
    await eventually(() => near.commands.at(-1)?.value === false, 'off');
    const gone = await eventually(async () => ((await latched.alerts())[0].returnedAt ? (await latched.alerts())[0] : null), 'gone');
    expect(gone.clearedAt).toBeNull();
    expect((await reset(id)).body.detail).toMatch(/acknowledged/);

    await house.restart();
    at = Math.max(at, Date.now() - 2000);
    await eventually(async () => {
      await read(83);
      return (await latched.alerts())[0].returnedAt === null;
    }, 'tripped again');
    await eventually(async () => {
      await read(70);
      return (await latched.alerts())[0].returnedAt;
    }, 'gone again');
    expect(await latched.alerts()).toHaveLength(1);
    await house.keeper.post(`/api/v1/alerts/${id}/acknowledge`, {});

    // Seen, gone, and it trips again: that is another one that nobody has seen.
    await read(84);
    const next = await latched.opened(2);
    const before = (await latched.alerts()).find((alert) => alert.id === id);
    expect(before.clearedWhy).toBe('tripped again before it was reset');
    expect([next.acknowledgedAt, next.clearedAt]).toEqual([null, null]);
    await read(70);
    await eventually(async () => (await latched.alerts())[0].returnedAt, 'gone');
    await house.keeper.post(`/api/v1/alerts/${next.id}/acknowledge`, {});
    const ended = await reset(next.id);
    expect([ended.status, ended.body.clearedWhy]).toEqual([200, 'reset by baker']);
    expect((await reset(next.id)).status).toBe(404);
    await latched.retire();
  });

  it('is an alert: what only switches cannot be latched', async () => {
    const { status, body } = await add({ latching: true, consequences: ['control'], output: points['humidifier'] });
    expect([status, body.detail]).toEqual([422, expect.stringMatching(/latched/)]);
  });
});

it.each([
  [{ judges: { kind: 'band', low: 80 }, setpoint: 80 }, /below the upper/],
  [{ judges: { kind: 'band', low: 70 }, setpoint: 80, deadband: 5 }, /never clear/],
  [{ judges: { kind: 'band', low: -5 }, setpoint: 80 }, /what the sensor measures/],
  [{ judges: { kind: 'band', low: 20 }, side: 'low', setpoint: 80 }, /one side/],
  [{ judges: { kind: 'rate', overSeconds: 60 }, setpoint: -3 }, /a fall is negative/],
  [{ judges: { kind: 'rate', overSeconds: 60 }, setpoint: 300 }, /more than the sensor measures/],
  [{ judges: { kind: 'count', level: 50, withinSeconds: 60 }, setpoint: 2.5 }, /whole number/],
  [{ judges: { kind: 'count', level: 500, withinSeconds: 60 }, setpoint: 2 }, /level must lie/],
  [{ judges: { kind: 'silence' }, setpoint: 1 }, /5 s at least/],
  [{ judges: { kind: 'difference', point: 999_999 }, setpoint: 2 }, /no point 999999/],
  [{ also: { join: 'and', point: 999_999, side: 'high', setpoint: 1 } }, /no point 999999/],
])('%j cannot be armed, and says why', async (body, why) => {
  const { status, body: said } = await add(body);
  expect([status, said.detail]).toEqual([422, expect.stringMatching(why)]);
});

it('a point is not held against itself, nor against another unit; a second condition is on another point', async () => {
  const self = await add({ judges: { kind: 'difference', point: points['humidity'] }, setpoint: 2 });
  const unit = await add({ judges: { kind: 'difference', point: points['temperature'] }, setpoint: 2 });
  const also = await add({ also: { join: 'or', point: points['humidity'], side: 'high', setpoint: 50 } });
  expect([self.body.detail, unit.body.detail, also.body.detail]).toEqual([
    expect.stringMatching(/from itself/),
    expect.stringMatching(/same unit/),
    expect.stringMatching(/another point/),
  ]);
});
