import { changeRule, eventually, FakeNode, openHouse, type Answer, type Body, type House } from './house';

let house: House;
let node: FakeNode;
let points: Record<string, number>;
const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];
/** Hours of two hours each side of now, or those without now. */
const hours = (now: boolean): object => {
  const minute = new Date().getUTCHours() * 60 + new Date().getUTCMinutes();
  const [before, after] = [(minute + 1320) % 1440, (minute + 120) % 1440];
  return { weekdays: EVERY_DAY, from: now ? before : after, to: now ? after : before };
};

beforeAll(async () => {
  house = await openHouse({}, 'taken as done', { timezone: 'UTC' });
  const made = await house.node('loft-1', 'Grain loft');
  points = made.points;
  node = await FakeNode.connect(house.server.mqttPort, 'loft-1', made.key, { retry: true });
  await node.say(60);
});
afterAll(async () => {
  await node?.end();
  await house?.close();
});

const RULE = { side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
const add = (body: object): Promise<Answer> => house.maker.post('/api/v1/thresholds', { ...RULE, point: points['humidity'], ...body });
const change = (id: number, body: object): Promise<Answer> => changeRule(house.maker, id, body);
const inForce = async (id: number): Promise<Body> =>
  ((await house.maker.get('/api/v1/thresholds')).body as Body[]).find((rule) => rule.id === id);
const alerts = async (id: number): Promise<Body[]> =>
  ((await house.maker.get('/api/v1/alerts')).body as Body[]).filter(({ threshold }) => threshold === id);
const phase = async (id: number): Promise<string> => (await inForce(id)).phase;

describe('a rule with hours', () => {
  let id: number;
  it('out of them trips for nothing, and tells nobody', async () => {
    id = (await add({ hours: hours(false), output: points['humidifier'] })).body.id;
    const told = house.handset.messages.length;
    await node.say(40);
    await node.say(39);
    await eventually(
      async () => (await house.maker.get('/api/v1/snapshot')).body.latest.some(({ value }: Body) => value === 39),
      'the reading',
    );
    expect([await phase(id), await alerts(id), house.handset.messages.length, node.commands]).toEqual(['normal', [], told, []]);
  });

  it('within them it trips and switches; when they are over both end, and nobody hears that all is well', async () => {
    expect((await change(id, { hours: hours(true) })).status).toBe(200);
    await node.say(38);
    await eventually(() => node.commands.at(-1)?.value === true, 'on');
    await eventually(() => house.handset.messages.some(({ title }) => title === 'Humidity too low'), 'the message');
    // As if the day had gone on: the hours in force have not got now in them any more.
    await house
      .database('threshold_version')
      .where({ threshold_id: id, version: 2 })
      .update({
        rule: house.database.raw(`jsonb_set(rule, '{hours}', ?::jsonb)`, [JSON.stringify(hours(false))]),
      });
    await house.restart();
    const [alert] = await eventually(async () => {
      const all = await alerts(id);
      return all[0]?.clearedAt ? all : null;
    }, 'the alert to be over');
    expect(alert.clearedWhy).toBe('its hours are over');
    // A server that starts has told nothing yet: nothing renews what it was told before.
    const demands: Body[] = await house.database('demand').where({ threshold_id: id });
    expect(demands.map(({ ended_why: why }) => why)).toEqual(['its hours are over']);
    expect(house.handset.messages.filter(({ title }) => /^Over/.test(title))).toEqual([]);
  });
});

describe('a rule that another suppresses', () => {
  let door: number;
  let cold: number;
  it('is not judged while that one stands, and trips once it does not', async () => {
    door = (await add({ point: points['temperature'], side: 'high', setpoint: 20, deadband: 1 })).body.id;
    cold = (await add({ setpoint: 45, unless: door })).body.id;
    // 25 °C: what suppresses it trips first, in the same report.
    await node.say(40);
    await eventually(async () => (await phase(door)) === 'active', 'the other rule to stand');
    await node.say(40);
    expect([await phase(cold), await alerts(cold)]).toEqual(['normal', []]);
    await change(door, { setpoint: 60 });
    await node.say(40);
    await eventually(async () => (await phase(cold)) === 'active', 'it to trip');
  });

  it('is over as soon as that one trips, with its name', async () => {
    await change(door, { setpoint: 20 });
    await node.say(40);
    const [alert] = await eventually(async () => {
      const all = await alerts(cold);
      return all[0]?.clearedAt ? all : null;
    }, 'the alert to be over');
    expect(alert.clearedWhy).toBe('suppressed: Air temperature too high stands');
  });

  it('is judged all the same while that one is only under test, or its node is silent: what a dead contact said last silences nobody', async () => {
    // The other stands, and its node says nothing more: as far as the engine knows it is silent.
    const other = await house.node('loft-2', 'Grain loft');
    const second = await FakeNode.connect(house.server.mqttPort, 'loft-2', other.key);
    const hot = (await add({ point: other.points['temperature'], side: 'high', setpoint: 20, deadband: 1 })).body.id;
    await second.say(60);
    await eventually(async () => (await phase(hot)) === 'active', 'the rule on the other node to stand');
    await change(cold, { unless: hot });
    await node.say(40);
    expect(await phase(cold)).toBe('normal');
    await second.end();
    await house.restart(() =>
      house
        .database('node')
        .where({ name: 'loft-2' })
        .update({ heard_at: new Date(Date.now() - 86_400_000) }),
    );
    const heard = async (): Promise<Body> => (await house.maker.get('/api/v1/snapshot')).body.nodes.find(({ id }: Body) => id === 'loft-2');
    await eventually(async () => (await heard()).silent || null, 'the other node to be silent');
    expect(await phase(hot)).toBe('active');
    await eventually(async () => {
      await node.say(40);
      return (await phase(cold)) === 'active';
    }, 'it to trip in spite of the rule that still stands');
    await change(cold, { unless: door });
  });

  it('keeps its hours and what it waits for when a table of limits is taken in', async () => {
    await change(cold, { hours: hours(true), expects: null });
    const table: string = (await house.maker.get('/api/v1/thresholds.csv')).body;
    const edited = table.split('\r\n').map((line) => (line.startsWith(`${cold},`) ? line.replace(',low,45,', ',low,44,') : line));
    expect(edited.join('\r\n')).not.toBe(table);
    const taken = await house.maker.call('PUT', '/api/v1/thresholds.csv', edited.join('\r\n'), { 'content-type': 'text/csv' });
    expect([taken.status, taken.body.taken]).toEqual([200, true]);
    expect(await inForce(cold)).toMatchObject({ setpoint: 44, hours: hours(true), unless: door });
    await change(cold, { hours: null });
  });

  it('never waits for itself, nor for a rule that is not there; and what it names is not retired under it', async () => {
    const circle = await change(door, { unless: cold });
    expect([circle.status, circle.body.detail]).toEqual([422, expect.stringMatching(/goes round in a circle/)]);
    expect((await change(door, { unless: door })).status).toBe(422);
    expect((await change(door, { unless: 999_999 })).status).toBe(422);
    const gone = await house.maker.call('DELETE', `/api/v1/thresholds/${door}`);
    expect([gone.status, gone.body.detail]).toEqual([409, expect.stringMatching(/is not judged while this one stands/)]);
    await change(cold, { unless: null });
    expect((await house.maker.call('DELETE', `/api/v1/thresholds/${door}`)).status).toBe(200);
  });
});
