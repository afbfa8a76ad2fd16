import { FakeNode, openHouse, type Body, type House } from './house';

let house: House;
let link: FakeNode;
let key: string;
let points: Record<string, number>;
beforeAll(async () => {
  house = await openHouse({}, 'taken as done');
  ({ key, points } = await house.node('loft-1', 'Grain loft'));
  link = await FakeNode.connect(house.server.mqttPort, 'loft-1', key);
});
afterAll(async () => {
  await link?.end();
  await house?.close();
});

const PATH = '/api/v1/points/loft-1/humidity';
const pointNow = async (who = house.maker): Promise<Body> =>
  (await who.get('/api/v1/snapshot')).body.points.find(({ id }: Body) => id === points['humidity']);
const judge = (judging: unknown, who = house.maker) => who.call('PUT', '/api/v1/nodes/loft-1/points/humidity/judging', { judging });
const latest = async (): Promise<Body> =>
  (await house.maker.get('/api/v1/snapshot')).body.latest.find(({ point }: Body) => point === points['humidity']);
const span = { from: Date.now() - 3_600_000, to: Date.now() + 3_600_000 };
const record = async (point = 'humidity'): Promise<Body> =>
  (await house.keeper.get(`/api/v1/points/loft-1/${point}/record?from=${span.from}&to=${span.to}`)).body;

describe('what readings of a point are judged by', () => {
  it('is its sheet’s until a maker says otherwise for this one; then that counts from now on, and what was judged stays', async () => {
    const { judging, judgingOfSheet } = await pointNow();
    expect(judgingOfSheet).toBeNull();
    await link.say(61);
    await link.say(92);
    expect(await latest()).toMatchObject({ quality: 'suspect', reason: 'spike' });

    expect((await judge({ ...judging, physicalMax: 80, spikeStep: null })).body).toMatchObject({
      judging: { physicalMax: 80, spikeStep: null },
      judgingOfSheet: judging,
    });
    await link.say(62);
    await link.say(79);
    expect(await latest()).toMatchObject({ value: 79, quality: 'good' });
    await link.say(81);
    expect(await latest()).toMatchObject({ value: 81, quality: 'bad', reason: 'out-of-range' });
    const { readings } = (await house.maker.get(`${PATH}/readings`)).body;
    expect(readings.map(([, value, quality]: number[]) => [value, quality])).toEqual([
      [61, 0],
      [92, 1],
      [62, 0],
      [79, 0],
      [81, 2],
    ]);
  });

  it('leaves out of a query and of a table what is worse than was asked for', async () => {
    const values = async (query: string): Promise<number[]> =>
      (await house.keeper.get(`${PATH}/readings?${query}`)).body.readings.map((reading: number[]) => reading[1]);
    expect(await values('quality=good')).toEqual([61, 62, 79]);
    expect(await values('quality=suspect')).toEqual([61, 92, 62, 79]);
    expect(await values('quality=good&level=raw')).toEqual([61, 62, 79]);
    expect(await values('')).toHaveLength(5);
    expect((await house.keeper.get(`${PATH}/readings?quality=fine`)).status).toBe(422);
    const table = async (query: string): Promise<{ status: number; lines: number }> => {
      const headers = { cookie: house.keeper.cookie() };
      const answer = await fetch(`${house.server.url}/api/v1/exports/readings.csv?points=loft-1/humidity&${query}`, { headers });
      return { status: answer.status, lines: (await answer.text()).trim().split('\n').length - 1 };
    };
    expect([await table('quality=good'), await table('quality=suspect'), await table('')].map(({ lines }) => lines)).toEqual([3, 4, 5]);
    expect((await table('quality=fine')).status).toBe(422);
  });

  it('outlives a restart, and is the sheet’s again when a maker says so', async () => {
    await link.end();
    await house.restart();
    link = await FakeNode.connect(house.server.mqttPort, 'loft-1', key);
    const { judging, judgingOfSheet } = await pointNow();
    expect(judging.physicalMax).toBe(80);
    const { body } = await judge(null);
    expect([body.judging, body.judgingOfSheet]).toEqual([judgingOfSheet, null]);
    await link.say(82);
    expect((await latest()).quality).not.toBe('bad');
  });

  it('is nothing for a keeper to say, and nothing that cannot be', async () => {
    const { judging } = await pointNow();
    expect((await judge({ ...judging, physicalMax: 70 }, house.keeper)).status).toBe(403);
    const upside = await judge({ ...judging, physicalMin: 80, physicalMax: 80 });
    expect([upside.status, upside.body.detail]).toEqual([422, expect.stringMatching(/lies above the least/)]);
    expect((await judge({ ...judging, stuckAfterSeconds: 5 })).status).toBe(422);
    expect((await judge({ ...judging, spikeStep: -1 })).status).toBe(422);
    const derived = await house.maker.call('PUT', '/api/v1/nodes/loft-1/points/dew-point/judging', { judging });
    expect([derived.status, derived.body.detail]).toEqual([409, expect.stringMatching(/what it comes from is judged/)]);
    expect((await pointNow()).judging).toEqual(judging);
  });
});

describe('what happened beside the readings', () => {
  const note = (body: unknown, who = house.keeper, point = 'humidity') => who.post(`/api/v1/points/loft-1/${point}/notes`, body);

  it('a note of a point stands in its record, one of the node in all of its points’', async () => {
    const at = Date.now() - 60_000;
    const { body: wiped } = await note({ at, text: '  cobweb <b>wiped</b> ' });
    expect(wiped).toMatchObject({ at, kind: 'note', text: 'cobweb <b>wiped</b>', ofNode: false, by: 'baker' });
    await note({ at: at + 1000, text: 'moved to the north wall', ofNode: true }, house.maker);
    expect((await record()).happenings.map(({ text }: Body) => text)).toEqual(['moved to the north wall', 'cobweb <b>wiped</b>']);
    expect((await record('temperature')).happenings.map(({ text }: Body) => text)).toEqual(['moved to the north wall']);
    // What lies outside the span is not in it.
    await note({ at: span.from - 86_400_000, text: 'yesterday' });
    expect((await record()).happenings).toHaveLength(2);
  });

  it('is taken away by whoever wrote it, or a maker; nobody else', async () => {
    const { happenings } = await record();
    const [makers, keepers] = happenings as Body[];
    const remove = (id: number, who = house.keeper) => who.call('DELETE', `/api/v1/notes/${id}`);
    const refused = await remove(makers.id);
    expect([refused.status, refused.body.detail]).toEqual([403, expect.stringMatching(/millwright wrote this note/)]);
    expect((await remove(keepers.id)).status).toBe(200);
    expect((await remove(keepers.id)).status).toBe(404);
    expect((await remove(makers.id, house.maker)).status).toBe(200);
    expect((await record()).happenings).toEqual([]);
  });

  it('nothing said, too much said, and a point that is not are refused', async () => {
    expect((await note({ at: Date.now(), text: '  ' })).status).toBe(422);
    expect((await note({ at: Date.now(), text: 'x'.repeat(301) })).status).toBe(422);
    expect((await note({ at: 5, text: 'long ago' })).status).toBe(422);
    const ahead = await note({ at: Date.now() + 86_400_000, text: 'tomorrow' });
    expect([ahead.status, ahead.body.detail]).toEqual([422, expect.stringMatching(/lies ahead/)]);
    expect((await note({ at: Date.now(), text: 'x' }, house.keeper, 'nowhere')).status).toBe(404);
  });

  it('another firmware than at its last start is noted by itself, once, and nobody takes that away', async () => {
    const hello = async (firmware: string): Promise<void> =>
      void (await link.client.publishAsync('dp/1/loft-1/hello', JSON.stringify({ firmware, resetReason: 'update', points: [] }), {
        qos: 1,
      }));
    await hello('dewnode 1.0.0');
    await hello('dewnode 1.1.0');
    await hello('dewnode 1.1.0');
    await link.say(60);
    const { happenings } = await record('temperature');
    expect(happenings).toEqual([
      { id: expect.any(Number), at: expect.any(Number), kind: 'firmware', text: 'dewnode 1.0.0 → dewnode 1.1.0', ofNode: true, by: null },
    ]);
    expect((await house.maker.call('DELETE', `/api/v1/notes/${happenings[0].id}`)).status).toBe(404);
  });

  it('what rules at it switched stands in its record: from on to off, and on still', async () => {
    const rule = { side: 'high', setpoint: 90, deadband: 5, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning' };
    const all = (await house.maker.get('/api/v1/snapshot')).body.points as Body[];
    const output = all.find(({ node, kind }) => node === 'loft-1' && kind === 'switched')?.id;
    expect(output).toBeDefined();
    const made = await house.maker.post('/api/v1/thresholds', { ...rule, point: points['humidity'], output });
    expect(made.status).toBeLessThan(300);
    const rows = [
      [0, 0],
      [1, 1],
      [2, 1],
      [3, 0],
      [4, 1],
    ] as const;
    const begin = span.from + 60_000;
    await house.database('reading').insert(
      rows.map(([minute, value]) => ({
        point_id: output,
        at: new Date(begin + minute * 60_000),
        raw: value,
        value,
        quality: 0,
        flags: 0,
        reason: 0,
      })),
    );
    expect((await record()).switched).toEqual([
      { output, from: begin + 240_000, to: null },
      { output, from: begin + 60_000, to: begin + 180_000 },
    ]);
    // One that was on already when the span began is there, from when it went on.
    const later = (await house.keeper.get(`/api/v1/points/loft-1/humidity/record?from=${begin + 90_000}&to=${begin + 200_000}`)).body;
    expect(later.switched).toEqual([{ output, from: begin + 60_000, to: begin + 180_000 }]);
    expect((await record('temperature')).switched).toEqual([]);
  });
});
