import { eventually, type Answer, type House } from './house';
import { TwoNodes } from './two-nodes';

let both: TwoNodes;
let house: House;
beforeAll(async () => {
  both = await TwoNodes.open();
  ({ house } = both);
  // What is older than three reports switches nothing on.
  both.catchUp(1000);
});
afterAll(() => both?.close());

describe('several outputs in order', () => {
  it('the next goes on after its wait, where the rule still stands; all go off together', async () => {
    const ordered = await both.armed({
      ...{ setpoint: 80, deadband: 5, output: both.points['humidifier'], consequences: ['control'] },
      then: [{ output: both.others['humidifier'], afterSeconds: 2 }],
    });
    await both.read(60, 0.2, both.far);
    await both.read(60);
    await both.read(85);
    await eventually(() => both.near.commands.at(-1)?.value === true, 'the first');
    const begun = Date.now();
    expect(both.far.commands.filter(({ value }) => value)).toEqual([]);
    await eventually(() => both.far.commands.at(-1)?.value === true, 'the second');
    expect(Date.now() - begun).toBeGreaterThan(1000);
    await both.read(60);
    await eventually(() => both.near.commands.at(-1)?.value === false && both.far.commands.at(-1)?.value === false, 'both off');
    await ordered.retire();
  });
  it('what clears before its turn never has it', async () => {
    const ordered = await both.armed({
      ...{ setpoint: 80, deadband: 5, output: both.points['humidifier'], consequences: ['control'] },
      then: [{ output: both.others['humidifier'], afterSeconds: 2 }],
    });
    const before = both.far.commands.filter(({ value }) => value).length;
    await both.read(85);
    await eventually(() => both.near.commands.at(-1)?.value === true, 'the first');
    await both.read(60);
    await eventually(() => both.near.commands.at(-1)?.value === false, 'off');
    const demands = await house.database('demand').where({ threshold_id: ordered.id }).whereNull('ended_at');
    expect([demands, both.far.commands.filter(({ value }) => value).length]).toEqual([[], before]);
    await ordered.retire();
  });
  it.each([
    [{ output: null, then: [{ output: 1, afterSeconds: 5 }], consequences: ['alert'] }, /choose the first/],
    [{ act: 'off', then: [{ output: 1, afterSeconds: 5 }] }, /off goes at once/],
  ])('%j has no order, and says so', async (body, why) => {
    const { status, body: said } = await both.add({ output: both.points['humidifier'], ...body });
    expect([status, said.detail]).toEqual([422, expect.stringMatching(why)]);
  });
  it('each comes once, and later than the one before it', async () => {
    const [first, next] = [both.points['humidifier'], both.others['humidifier']];
    const twice = await both.add({ output: first, then: [{ output: first, afterSeconds: 5 }] });
    const back = await both.add({
      output: first,
      then: [
        { output: next, afterSeconds: 9 },
        { output: both.others['second'] ?? both.others['first-output'] ?? first, afterSeconds: 5 },
      ],
    });
    const none = await both.add({ output: first, then: [{ output: both.points['humidity'], afterSeconds: 5 }] });
    expect([twice.body.detail, back.status, none.body.detail]).toEqual([
      expect.stringMatching(/comes twice/),
      422,
      expect.stringMatching(/is not an output/),
    ]);
  });
});

describe('a rule in proportion', () => {
  it.each([
    [{ output: null, consequences: ['alert'] }, /Only an output that is switched on/],
    [{ act: 'off' }, /Only an output that is switched on/],
    [{ judges: { kind: 'rate', overSeconds: 60 } }, /goes by the value of one point/],
  ])('%j has none, and says so', async (body, why) => {
    const { status, body: said } = await both.add({
      ...{ output: both.points['humidifier'], proportional: { band: 4, cycleSeconds: 600 } },
      ...body,
    });
    expect([status, said.detail]).toEqual([422, expect.stringMatching(why)]);
  });
  it('is shown as it was armed', async () => {
    const { body: made } = await both.add({ output: both.points['humidifier'], proportional: { band: 4, cycleSeconds: 600 } });
    expect(made.proportional).toEqual({ band: 4, cycleSeconds: 600 });
    await both.house.maker.call('DELETE', `/api/v1/thresholds/${made.id}`);
  });
});

describe('a rule that needs another point', () => {
  it('is stood down while somebody works at that point, and keeps its node from being retired', async () => {
    const rule = await both.armed({
      ...{ setpoint: 80, deadband: 5, output: both.points['humidifier'], consequences: ['alert', 'control'] },
      also: { join: 'and', point: both.others['humidity'], side: 'low', setpoint: 50 },
    });
    await both.read(45, 0.2, both.far);
    await both.read(85);
    await rule.opened();
    await eventually(() => both.near.commands.at(-1)?.value === true, 'on');
    await house.maker.post('/api/v1/points/loft-2/humidity/hold', { minutes: 10 });
    expect((await rule.cleared()).clearedWhy).toBe('held: somebody works at it');
    await eventually(() => both.near.commands.at(-1)?.value === false, 'off');
    // What the held point said is nothing to go by.
    await both.read(45, 0.2, both.far);
    await both.read(86);
    expect(await rule.alerts()).toHaveLength(1);
    await house.maker.call('DELETE', '/api/v1/points/loft-2/humidity/hold');
    await both.read(60);

    const retired = await house.maker.post('/api/v1/nodes/loft-2/retire', {});
    expect([retired.status, retired.body.detail]).toEqual([409, expect.stringMatching(/needs its Humidity: change that first/)]);
    await rule.retire();
  });
});

describe('a latched alert', () => {
  it('stands until somebody has seen and reset it, over a restart as well; what trips again waits to be seen again', async () => {
    const latched = await both.armed({ setpoint: 80, deadband: 5, latching: true, output: both.points['humidifier'] });
    const reset = (id: number, by = house.keeper): Promise<Answer> => by.post(`/api/v1/alerts/${id}/reset`, {});
    await both.read(82);
    const { id } = await latched.opened();
    await eventually(() => both.near.commands.at(-1)?.value === true, 'on');
    expect([(await reset(id)).status, (await reset(id)).body.detail]).toEqual([409, expect.stringMatching(/still stands/)]);

    await both.read(70);
    // What it switched ends with its condition; the alert does not.
    await eventually(() => both.near.commands.at(-1)?.value === false, 'off');
    const gone = await eventually(async () => ((await latched.alerts())[0].returnedAt ? (await latched.alerts())[0] : null), 'gone');
    expect(gone.clearedAt).toBeNull();
    expect((await reset(id)).body.detail).toMatch(/acknowledged/);

    await house.restart();
    both.catchUp(2000);
    await eventually(async () => {
      await both.read(83);
      return (await latched.alerts())[0].returnedAt === null;
    }, 'tripped again');
    await eventually(async () => {
      await both.read(70);
      return (await latched.alerts())[0].returnedAt;
    }, 'gone again');
    expect(await latched.alerts()).toHaveLength(1);
    await house.keeper.post(`/api/v1/alerts/${id}/acknowledge`, {});

    // Seen, gone, and it trips again: that is another one that nobody has seen.
    await both.read(84);
    const next = await latched.opened(2);
    const before = (await latched.alerts()).find((alert) => alert.id === id);
    expect(before.clearedWhy).toBe('tripped again before it was reset');
    expect([next.acknowledgedAt, next.clearedAt]).toEqual([null, null]);
    await both.read(70);
    await eventually(async () => (await latched.alerts())[0].returnedAt, 'gone');
    await house.keeper.post(`/api/v1/alerts/${next.id}/acknowledge`, {});
    const ended = await reset(next.id);
    expect([ended.status, ended.body.clearedWhy]).toEqual([200, 'reset by baker']);
    expect((await reset(next.id)).status).toBe(404);
    await latched.retire();
  });

  it('is an alert: what only switches cannot be latched', async () => {
    const { status, body } = await both.add({ latching: true, consequences: ['control'], output: both.points['humidifier'] });
    expect([status, body.detail]).toEqual([422, expect.stringMatching(/latched/)]);
  });
});
