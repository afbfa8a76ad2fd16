import { eventually, FakeNode, openHouse, type Body, type House } from './house';

let house: House;
// A quarter of an hour off the whole ones, so that no other clock could be taken for it.
beforeAll(async () => (house = await openHouse({}, 'taken as done', { timezone: 'Asia/Kathmandu' })));
afterAll(() => house?.close());

const BASE = { side: 'low', setpoint: 50, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null };
const add = (body: object) => house.maker.post('/api/v1/thresholds', { ...BASE, ...body });
const get = async (path: string): Promise<Body> => (await house.maker.get(path)).body;
const node = async (id: string) => {
  const made = await house.node(id, 'Proving room');
  return { ...made, link: await FakeNode.connect(house.server.mqttPort, id, made.key) };
};

describe('alert, control and notice', () => {
  it('control switches silently: no alert, no message; its demand ends as it clears', async () => {
    const { points, link } = await node('control-1');
    const { status, body } = await add({ point: points['humidity'], output: points['humidifier'], consequences: ['control'] });
    expect([status, body.consequences, body.tells]).toEqual([200, ['control'], 'journal']);
    await link.say(40);
    await eventually(() => link.commands.at(-1)?.value === true, 'on');
    await link.say(60);
    await eventually(() => link.commands.at(-1)?.value === false, 'off');
    expect((await get('/api/v1/alerts')).filter(({ node: id }: Body) => id === 'control-1')).toEqual([]);
    expect([await get('/api/v1/notices'), house.handset.messages]).toEqual([[], []]);
    await link.end();
  });

  it('without consequences it is as it was: an alert, and control where an output is named', async () => {
    const { points, link } = await node('usual-1');
    expect((await add({ point: points['humidity'] })).body.consequences).toEqual(['alert']);
    const { body } = await add({ point: points['humidity'], setpoint: 45, output: points['humidifier'] });
    expect([body.consequences, body.act]).toEqual([['alert', 'control'], 'on']);
    await link.say(40);
    await eventually(async () => (await get('/api/v1/alerts?state=open')).length === 2, 'both alerts');
    await eventually(() => link.commands.at(-1)?.value === true, 'on');
    await link.end();
  });

  it('a notice is told at its edges in its own words, needs no acknowledgement, and its repeats are joined', async () => {
    const { points, link } = await node('notice-1');
    const words = { trip: '{point} of {node} fell to {value} {unit} in {room}', clear: 'it is well again, at {since}' };
    expect((await add({ point: points['humidity'], consequences: ['notice'], words })).status).toBe(200);
    const before = house.handset.messages.length;
    await link.say(40);
    await link.say(60);
    await link.say(39);
    await link.say(61);
    const notices = (): Promise<Body[]> => get('/api/v1/notices');
    await eventually(async () => (await notices()).length === 4, 'four notices');
    // In the site's own time, as people there read their clocks: 5 h 45 before UTC.
    const clock = (at: number): string => new Date(at + 345 * 60_000).toISOString().slice(11, 16);
    const [second, , first] = (await notices()).map(({ at }) => clock(at));
    expect((await notices()).map(({ edge, title, told }) => [edge, title, told]).reverse()).toEqual([
      ['trip', 'Humidity of notice-1 fell to 40.0 % in Proving room', true],
      ['clear', `it is well again, at ${first}`, true],
      ['trip', 'Humidity of notice-1 fell to 39.0 % in Proving room', false],
      ['clear', `it is well again, at ${second}`, false],
    ]);
    await eventually(() => house.handset.messages.length === before + 2, 'two messages');
    expect(house.handset.messages.slice(before).map(({ severity }) => severity)).toEqual(['note', 'note']);
    expect((await get('/api/v1/alerts')).filter(({ node: id }: Body) => id === 'notice-1')).toEqual([]);
    await link.end();
  });

  it('why a sleeping node woke comes with its reports, is kept, and can be told of in a word', async () => {
    const draft = {
      board: 'wifi-dual-bare',
      supply: 'aa-lithium-2',
      tellsWake: true,
      reportSeconds: 3600,
      eventsPerDay: 6,
      outdoors: false,
      cableMetres: 1,
      parts: [{ ref: 'door', part: 'contact-pulse' }],
      fixed: {},
      dividers: {},
    };
    expect((await house.maker.post('/api/v1/build-sheets', { name: 'Sleeping post', draft, base: null })).status).toBe(200);
    const made = (await house.maker.post('/api/v1/nodes', { id: 'sleeper-1', room: 'Cellar', buildSheet: 'sleeping-post' })).body;
    const woke = made.points.find(({ name }: Body) => name === 'woke-by');
    const link = await FakeNode.connect(house.server.mqttPort, 'sleeper-1', made.key);
    await link.up([
      { n: 'open', v: 0 },
      { n: 'woke-by', vs: 'power' },
    ]);
    const words = { trip: '{node} was woken by its {value}', clear: null };
    expect((await add({ point: woke.id, side: 'high', setpoint: 1, deadband: 0, consequences: ['notice'], words })).status).toBe(200);
    await link.up([{ n: 'woke-by', vs: 'timer' }]);
    await link.up([
      { n: 'open', v: 1 },
      { n: 'woke-by', vs: 'contact' },
    ]);
    const titles = async (): Promise<string[]> => (await get('/api/v1/notices')).map(({ title }: Body) => title);
    await eventually(async () => (await titles()).includes('sleeper-1 was woken by its contact'), 'the notice');
    await link.up([{ n: 'woke-by', vs: 'a dream' }]);
    const { readings } = await get('/api/v1/points/sleeper-1/woke-by/readings?level=raw');
    expect(readings.map(([, value]: [number, number]) => value)).toEqual([3, 0, 1]);
    await link.end();
  });

  it('alerts are counted by the rule they came from; notices and ordinary switching are not', async () => {
    const counts = (): Promise<Body> => get('/api/v1/alerts/counts?days=7');
    const before = await counts();
    const { points, link } = await node('count-1');
    const { body: rule } = await add({ point: points['humidity'], severity: 'critical' });
    await add({ point: points['humidity'], consequences: ['control'], output: points['humidifier'] });
    await add({ point: points['humidity'], consequences: ['notice'] });
    for (const value of [40, 60, 39, 61, 38]) await link.say(value);
    // By their node: on a slow machine one of another test’s may fall silent meanwhile.
    const ofNode = (all: Body): Body[] => all.origins.filter((origin: Body) => origin.node === 'count-1');
    await eventually(async () => ofNode(await counts())[0]?.count === 3, 'three alerts');
    const after = await counts();
    expect(after.bySeverity.critical - before.bySeverity.critical).toBe(3);
    const own = ofNode(after);
    expect(own).toEqual([
      {
        ...{ kind: 'threshold', threshold: rule.id, node: 'count-1', point: points['humidity'], title: 'Humidity too low' },
        ...{ count: 3, share: 3 / after.count, fleeting: 2, chattering: 3, standsSince: expect.any(Number) },
      },
    ]);
    // The house is minutes old: what is counted is a day, neither a week that it has not seen nor minutes that would make a thousand a day.
    expect([after.until - after.from, after.perDay]).toEqual([86_400_000, after.count]);
    expect((await house.maker.get('/api/v1/alerts/counts?days=0')).status).toBe(422);
    await link.end();
  });

  it('act off: a trip switches off whatever asked for it, a hand included, and clearing switches nothing on', async () => {
    const { points, link } = await node('off-1');
    await link.say(60);
    await add({
      point: points['humidity'],
      side: 'high',
      setpoint: 80,
      output: points['humidifier'],
      consequences: ['control'],
      act: 'off',
    });
    await house.keeper.post(`/api/v1/relays/${points['humidifier']}/switch`, { on: true, seconds: 60, reason: 'try' });
    await eventually(() => link.commands.at(-1)?.value === true, 'on by hand');
    await link.say(85);
    await eventually(() => link.commands.at(-1)?.value === false, 'off by the rule');
    expect(await house.database('demand').where({ point_id: points['humidifier'] }).whereNull('ended_at')).toEqual([]);
    const count = link.commands.length;
    await link.say(60);
    await link.say(61);
    expect(link.commands).toHaveLength(count);
    await link.end();
  });

  it.each([
    [{ consequences: ['control'] }, /choose which/],
    [{ consequences: [] }, /at least one/],
    [{ consequences: ['alert', 'alert'] }, /each once/],
    [{ consequences: ['notice'], words: 'Hatch {offen}' }, /\{offen\} stands for nothing/],
    [{ route: [999] }, /no way 999/],
  ])('%j is refused in words, and nothing is armed', async (body, why) => {
    const { points } = await house.node(
      `refused-${String(why)
        .replace(/[^a-z0-9]+/g, '-')
        .replace(/^-|-$/g, '')}`,
    );
    const answer = await add({ point: points['humidity'], ...body });
    expect([answer.status, answer.body.detail]).toEqual([422, expect.stringMatching(why)]);
    expect((await get('/api/v1/thresholds')).some(({ point }: Body) => point === points['humidity'])).toBe(false);
  });
});

describe('rules as a table', () => {
  const put = (text: string, query = '') =>
    house.maker.call('PUT', `/api/v1/thresholds.csv${query}`, text, { 'content-type': 'text/csv', origin: house.server.url });
  const table = async (): Promise<string[]> => (await get('/api/v1/thresholds.csv')).split('\r\n').filter(Boolean);

  it('come out, are edited, and go in again: only what changed is a new version, after a look beforehand', async () => {
    const lines = await table();
    expect(lines[0]).toBe(
      'id,version,node,point,unit,side,setpoint,deadband,onDelaySeconds,offDelaySeconds,severity,consequences,act,output,judges',
    );
    const at = lines.findIndex((line) => line.includes('usual-1,humidity') && line.includes(',45,'));
    const edited = lines.map((line, i) => (i === at ? line.replace(',45,', ',46.5,') : line)).join('\n');
    const look = await put(edited, '?preview=true');
    const counted = (changes: Body[], what: string): number => changes.filter((one) => one.what === what).length;
    expect([look.status, look.body.taken, counted(look.body.changes, 'changed')]).toEqual([200, false, 1]);
    expect((await table()).join()).not.toContain('46.5');
    const { body } = await put(edited);
    expect([body.taken, counted(body.changes, 'changed'), counted(body.changes, 'unchanged')]).toEqual([true, 1, lines.length - 2]);
    const [id] = lines[at]!.split(',');
    const rule = (await get('/api/v1/thresholds')).find((one: Body) => one.id === Number(id));
    expect([rule.setpoint, rule.version, rule.consequences]).toEqual([46.5, 2, ['alert', 'control']]);
    // Who did it, and why, is kept with every version.
    const versions = await get(`/api/v1/thresholds/${id}/versions`);
    expect(versions.map(({ version, setpoint, by, why }: Body) => [version, setpoint, by, why])).toEqual([
      [2, 46.5, 'millwright', 'in the table of rules'],
      [1, 45, 'millwright', ''],
    ]);
    const { status } = await house.maker.call('PUT', `/api/v1/thresholds/${id}`, { ...rule, from: 2, why: '  the beds were moved ' });
    expect([status, (await get(`/api/v1/thresholds/${id}/versions`))[0].why]).toEqual([200, 'the beds were moved']);
    expect((await house.keeper.get('/api/v1/thresholds/99999/versions')).status).toBe(404);
    // The same table again is of an older version.
    expect((await put(edited)).body.changes[at - 1].text).toMatch(/version 3 is in force, the row was of 1/);
  });

  it('is taken whole: what fails in the middle of being written leaves every rule as it was', async () => {
    const [head, ...rows] = await table();
    const [one, other] = rows.filter((line) => /,(50|45),5,0,0,/.test(line)).slice(0, 2);
    // Written in between by somebody past this server: the second row's version exists already.
    const [id, version] = other!.split(',').map(Number);
    await house.database('threshold_version').insert({ threshold_id: id, version: version! + 1, rule: '{}', made_by: 'nobody' });
    const answer = await put([head, one!.replace(',5,0,0,', ',6,0,0,'), other!.replace(',5,0,0,', ',6,0,0,')].join('\n'));
    expect(answer.status).toBeGreaterThanOrEqual(400);
    expect(await table()).toEqual([head, ...rows]);
    expect(await house.database('threshold_version').where({ threshold_id: Number(one!.split(',')[0]) })).toHaveLength(
      Number(one!.split(',')[1]),
    );
    await house.database('threshold_version').where({ threshold_id: id, made_by: 'nobody' }).delete();
  });

  it('a changed unit, a decimal comma, a row twice, or one that cannot be: by its line, and nothing of the table is taken', async () => {
    const [head, ...rows] = await table();
    const row = rows.find((line) => line.includes('notice-1,humidity'))!;
    const before = await table();
    for (const [changed, why] of [
      [row.replace(',%,', ',‰,'), /figures of another unit/],
      [row.replace(',50,', ',"50,5",'), /decimal comma: write 50.5/],
      [`${row}\n${row}`, /stands in the table twice/],
      [row.replace(',50,', ',500,'), /within what the sensor measures/],
      [row.replace(/^\d+/, '9999'), /no rule 9999 in force/],
      [row.replace(',low,', ',sideways,'), /side/],
    ] as const) {
      const { status, body } = await put([head, changed].join('\n'));
      expect(status).toBe(422);
      expect(body.changes.map(({ text }: Body) => text).join(' ')).toMatch(why);
    }
    expect(await table()).toEqual(before);
    expect((await put('id;x\n"')).status).toBe(422);
    expect(
      (await house.keeper.call('PUT', '/api/v1/thresholds.csv', 'id\n1', { 'content-type': 'text/csv', origin: house.server.url })).status,
    ).toBe(403);
  });
});
