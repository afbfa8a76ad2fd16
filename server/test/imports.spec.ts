import { decode, encode } from 'cbor-x';
import { eventually, FakeNode, openHouse, type Visitor, type Body, type House } from './house';

const ZONE = 'Europe/Berlin';
let house: House;
let point: number;
let link: FakeNode;
beforeAll(async () => {
  house = await openHouse({ DEWPOST_JOBS_BY_CLOCK: '0' }, 'taken as done', { timezone: ZONE });
  const made = await house.node('roof-1', 'Weir hut');
  point = made.points['temperature']!;
  link = await FakeNode.connect(house.server.mqttPort, 'roof-1', made.key);
});
afterAll(async () => {
  await link?.end();
  await house?.close();
});

const MAP = 'map=Temp:roof-1/temperature,Hum:roof-1/humidity';
const send = async (csv: string, query: string, visitor: Visitor = house.maker): Promise<{ status: number; body: Body }> => {
  const answer = await fetch(`${house.server.url}/api/v1/imports?${query}`, {
    method: 'POST',
    headers: { 'content-type': 'text/csv', cookie: visitor.cookie() },
    body: csv,
  });
  const text = await answer.text();
  return { status: answer.status, body: text === '' ? null : JSON.parse(text) };
};
const done = (id: number, states: readonly string[] = ['read', 'kept', 'failed']): Promise<Body> =>
  eventually(
    async () => {
      const { body } = await house.maker.get(`/api/v1/imports/${id}`);
      return states.includes(body.state) ? body : null;
    },
    `import ${id} to come to ${states.join(' or ')}`,
  );
const kept = async (): Promise<{ at: string; value: number; raw: number; quality: number; flags: number }[]> =>
  (await house.database('reading').where({ point_id: point }).orderBy('at').select('at', 'value', 'raw', 'quality', 'flags')).map(
    (row) => ({
      ...row,
      at: row.at.toISOString(),
    }),
  );
const problems = (body: Body): Record<string, number> =>
  Object.fromEntries(body.problems.map(({ problem, count }: { problem: string; count: number }) => [problem, count]));

/** A logger's file with what goes wrong in such files. */
const GERMAN = [
  'Time;Temp;Hum;Batt',
  '31.12.2023 23:50;3,8;89;12,6',
  '01.01.2024 00:00;3,9;--;12,6',
  '01.01.2024 00:00;3,9;90;12,6',
  '01.01.2024 00:10;14,2;255;13,1',
  '01.01.2024 00:20;5,0,4;91;13,0',
  '01.01.2024 00:30;4',
  '29.01.2036 04:30;4,0;90;13,0',
  '01.01.2024 00:40;4,1;90;13,0',
].join('\r\n');

describe('a file of readings', () => {
  it('is looked through first: what was noticed, with evidence; what has to be said; nothing is stored', async () => {
    const { status, body } = await send(GERMAN, `name=roof-logger.csv&${MAP}&keep=true`);
    expect([status, body.state]).toEqual([201, 'reading']);
    const read = await done(body.id);
    expect(read).toMatchObject({
      state: 'read',
      settings: { separator: ';', decimalComma: true, dateOrder: 'day', timeColumn: 0, clock: null },
      columns: ['Time', 'Temp', 'Hum', 'Batt'],
      asks: ['Say which clock the file kept: its times do not.'],
      lines: 8,
    });
    expect(read.evidence.order).toMatch(/31\.12\. occurs/);
    expect(await kept()).toEqual([]);
    const refused = await house.maker.post(`/api/v1/imports/${body.id}/keep`, {});
    expect([refused.status, refused.body.detail]).toEqual([422, 'Say which clock the file kept: its times do not.']);
    await house.maker.call('DELETE', `/api/v1/imports/${body.id}`);
    expect((await house.maker.get(`/api/v1/imports/${body.id}`)).status).toBe(404);
  });

  it('kept: good lines are kept, what does not fit is told by its reason, what cannot be is kept as bad; removed, all is as before', async () => {
    const { body } = await send(GERMAN, `${MAP}&clock=UTC`);
    const read = await done(body.id);
    expect(problems(read)).toEqual({ 'no-value': 1, 'same-time': 1, 'out-of-range': 1, 'no-number': 1, 'cut-short': 1, ahead: 1 });
    expect(read.problems.find(({ problem }: Body) => problem === 'cut-short')).toMatchObject({ line: 7, text: '01.01.2024 00:30; 4' });
    expect(read).toMatchObject({ state: 'kept', readings: 8, bad: 1, progress: 1 });
    expect(await kept()).toEqual(
      [
        ['2023-12-31T23:50:00.000Z', 3.8],
        ['2024-01-01T00:00:00.000Z', 3.9],
        ['2024-01-01T00:10:00.000Z', 14.2],
        ['2024-01-01T00:40:00.000Z', 4.1],
      ].map(([at, value]) => ({ at, value, raw: value, quality: 0, flags: 4 })),
    );
    const record = (await house.maker.get('/api/v1/points/roof-1/humidity/record?from=2023-12-31T00:00:00Z&to=2024-01-02T00:00:00Z')).body;
    expect(record.stretches.reduce((sum: number, [, , , , , , bad]: number[]) => sum + (bad ?? 0), 0)).toBe(1);
    // Rolled up at once, as it is much.
    await eventually(async () => (await house.database('rollup').where({ point_id: point, level: 1 })).length === 3, 'its three quarters');

    await house.maker.call('DELETE', `/api/v1/imports/${body.id}`);
    expect(await kept()).toEqual([]);
    await eventually(async () => (await house.database('rollup').where({ point_id: point })).length === 0, 'nothing of it to be kept');
    expect((await house.maker.get('/api/v1/alerts')).body).toEqual([]);
  });

  it('the site’s own clock: the hour that never was is left out, the one that came twice is two', async () => {
    const night = (day: string, times: string[]): string => ['Time,Temp', ...times.map((time) => `${day} ${time},5.5`)].join('\n');
    const map = 'map=Temp:roof-1/temperature&clock=site';
    // Directive 2000/84/EC: 29 March and 25 October 2026, at 01:00 UTC.
    const spring = await done((await send(night('2026-03-29', ['01:50', '02:30', '03:00']), map)).body.id);
    expect([spring.readings, problems(spring)]).toEqual([2, { never: 1 }]);
    const autumn = await done((await send(night('2026-10-25', ['02:00', '02:30', '02:00', '02:30', '03:00']), map)).body.id);
    expect([autumn.readings, problems(autumn)]).toEqual([5, {}]);
    expect((await kept()).map(({ at }) => at.slice(5, 16))).toEqual([
      '03-29T00:50',
      '03-29T01:00',
      '10-25T00:00',
      '10-25T00:30',
      '10-25T01:00',
      '10-25T01:30',
      '10-25T02:00',
    ]);
    for (const { id } of [spring, autumn]) await house.maker.call('DELETE', `/api/v1/imports/${id}`);
  });

  it('readings that are there already stay, and stay when the file is removed', async () => {
    const at = Math.floor(Date.now() / 1000) * 1000 - 60_000;
    await link.up([{ n: 'temperature', t: at / 1000, v: 21 }]);
    const line = (ms: number, value: number): string => `${new Date(ms).toISOString()},${value}`;
    const csv = ['Time,Temp', line(at - 1000, 20), line(at, 99), line(at + 1000, 22)].join('\n');
    const read = await done((await send(csv, 'map=Temp:roof-1/temperature')).body.id);
    expect([read.state, read.readings, problems(read)]).toMatchObject(['kept', 2, { present: 1 }]);
    expect((await kept()).map(({ value }) => value)).toEqual([20, 21, 22]);
    await house.maker.call('DELETE', `/api/v1/imports/${read.id}`);
    expect((await kept()).map(({ value }) => value)).toEqual([21]);
  });

  it('a table as we export it comes back without a word about it', async () => {
    const from = Date.now() - 3_600_000;
    const exported = await (
      await fetch(`${house.server.url}/api/v1/exports/readings.csv?points=roof-1/temperature&from=${from}`, {
        headers: { cookie: house.maker.cookie() },
      })
    ).text();
    const before = await kept();
    await house.database('reading').where({ point_id: point }).delete();
    const read = await done((await send(`${exported}roof-1,attic,${new Date().toISOString()},1,,1,good,\r\n`, 'name=back.csv')).body.id);
    expect([read.state, problems(read)]).toEqual(['kept', { 'no-point': 1 }]);
    expect(await kept()).toEqual(before.map((row) => ({ ...row, flags: 4 })));
    await house.maker.call('DELETE', `/api/v1/imports/${read.id}`);
  });

  it('settings may be changed until it is kept; a crash in the middle loses and doubles nothing', async () => {
    const { body } = await send(GERMAN, 'keep=false');
    const read = await done(body.id);
    expect(read.asks).toHaveLength(2);
    const map = [{ column: 1, point: 'roof-1/temperature' }];
    const changed = await house.maker.call('PUT', `/api/v1/imports/${body.id}`, { ...read.settings, clock: '+01:00', map });
    expect(changed.body.asks).toEqual([]);
    await done(body.id);
    // As if the server had ended after the first readings were stored.
    await house.database.raw(
      `insert into reading (point_id, at, raw, value, quality, flags, reason, import_id) values (?, '2023-12-31T22:50:00Z', 3.8, 3.8, 0, 4, 0, ?)`,
      [point, body.id],
    );
    await house.maker.post(`/api/v1/imports/${body.id}/keep`, {});
    const now = await done(body.id, ['kept', 'failed']);
    expect([now.state, now.readings, problems(now)['present']]).toEqual(['kept', 4, undefined]);
    expect((await kept())[0]).toMatchObject({ at: '2023-12-31T22:50:00.000Z' });
    expect(await kept()).toHaveLength(4);
    expect((await house.maker.call('PUT', `/api/v1/imports/${body.id}`, read.settings)).status).toBe(409);
    await house.maker.call('DELETE', `/api/v1/imports/${body.id}`);
  });

  it.each([
    ['', 'no table', 422, /has a line of heads/],
    ['Time,Temp\n', 'heads alone', 422, /has a line of heads/],
    ['Time,Temp\n2024-01-01T00:00Z,1', `map=Temperature:roof-1/temperature`, 422, /there is no column Temperature: there are Time, Temp/],
    ['Time,Temp\n2024-01-01T00:00Z,1', `map=Temp`, 422, /column:node\/point/],
    ['Time,Temp\n2024-01-01T00:00Z,1', `${MAP}&clock=local`, 422, /UTC, site, or a distance/],
    ['Time,Temp\n2024-01-01T00:00Z,1', `map=Temp:roof-1/temperature&order=backwards`, 422, /one of year day month/],
  ])('%j with %s is refused in words', async (csv, query, status, why) => {
    const answer = await send(csv, query.includes('=') ? query : '');
    expect([answer.status, answer.body.detail]).toEqual([status, expect.stringMatching(why)]);
  });

  it('a point that is not there, two columns for one, two columns called time: asked, never guessed', async () => {
    const asks = async (csv: string, query: string): Promise<string[]> => {
      const { body } = await send(csv, query);
      const read = await done(body.id);
      await house.maker.call('DELETE', `/api/v1/imports/${body.id}`);
      return read.asks;
    };
    expect(await asks('time,Time,Temp\n2024-01-01T00:00Z,2024-01-01T01:00Z,1', 'map=Temp:roof-1/temperature')).toContain(
      'Two columns are called time: say which one counts.',
    );
    // The year at its end is no distance from UTC.
    expect(await asks('Day,Temp\n24-12-2023,1\n31-12-2023,2', 'map=Temp:roof-1/temperature')).toEqual([
      'Say which clock the file kept: its times do not.',
    ]);
    const csv = 'Time,Temp,Hum\n2024-01-01T00:00Z,1,2';
    expect(await asks(csv, 'map=Temp:roof-1/attic')).toEqual(['There is no point roof-1/attic that is recorded.']);
    expect(await asks(csv, 'map=Temp:roof-1/temperature,Hum:roof-1/temperature')).toEqual([
      'Two columns become roof-1/temperature: leave one out.',
    ]);
    expect(await kept()).toHaveLength(0);
  });

  it('removed in the middle, nothing of it stays: not even what was on its way into the record', async () => {
    const lines = Array.from({ length: 60_000 }, (_, i) => `${new Date(Date.UTC(2024, 0, 1) + i * 30_000).toISOString()},${i % 30}`);
    const { body } = await send(['Time,Temp', ...lines].join('\n'), 'map=Temp:roof-1/temperature');
    await eventually(async () => (await house.database('reading').where({ import_id: body.id }).first()) !== undefined, 'the first of it');
    await house.maker.call('DELETE', `/api/v1/imports/${body.id}`);
    expect(await kept()).toEqual([]);
    expect((await house.maker.get(`/api/v1/imports/${body.id}`)).status).toBe(404);
  });

  it('only makers may, and the file is no form', async () => {
    expect((await send(GERMAN, MAP, house.keeper)).status).toBe(403);
    expect((await send(GERMAN, MAP, house.visitor())).status).toBe(401);
    expect((await house.maker.post('/api/v1/imports', { a: 1 })).status).toBe(415);
  });

  it('comes as JSON Lines or as a SenML pack too: by name, by its own clock, with what does not fit told by reason', async () => {
    const as = async (type: string, body: string | Blob, query = 'keep=true'): Promise<{ status: number; body: Body }> => {
      const answer = await fetch(`${house.server.url}/api/v1/imports?${query}`, {
        method: 'POST',
        headers: { 'content-type': type, cookie: house.maker.cookie() },
        body,
      });
      return { status: answer.status, body: (await answer.json()) as Body };
    };
    const at = Date.UTC(2024, 4, 1, 8);
    const reading = (i: number, more: object = {}): string =>
      JSON.stringify({ node: 'roof-1', point: 'temperature', time: new Date(at + i * 60_000).toISOString(), value: 12 + i, ...more });
    const lines = [
      reading(0),
      reading(1, { time: at + 60_000 }),
      '{ no json',
      reading(2, { point: 'colour' }),
      reading(3, { value: null }),
      reading(4),
    ];
    const taken = await as('application/x-ndjson', lines.join('\n'));
    expect(taken.status).toBe(201);
    const whole = await done(taken.body.id as number, ['kept', 'failed']);
    expect(whole.state).toBe('kept');
    expect(problems(whole)).toMatchObject({ 'cut-short': 2, 'no-point': 1 });
    expect((await kept()).filter((row) => row.at.startsWith('2024-05-01T08')).map(({ value }) => value)).toEqual([12, 13, 16]);

    const pack = [
      { bn: 'roof-1:', bt: at / 1000 + 3600, n: 'temperature', v: 20 },
      { n: 'temperature', t: 60, v: 21 },
      { n: 'temperature', t: 120, vs: 'warm' },
    ];
    const second = await as('application/senml+json', JSON.stringify(pack));
    const packed = await done(second.body.id as number, ['kept', 'failed']);
    expect([packed.state, problems(packed)]).toEqual(['kept', { 'cut-short': 1 }]);
    expect((await kept()).filter((row) => row.at.startsWith('2024-05-01T09')).map(({ value }) => value)).toEqual([20, 21]);
    expect((await as('application/senml+json', 'not json')).status).toBe(422);

    // The same in CBOR, its labels as integers: base name −2, base time −3 (RFC 8428 §6, table 4).
    const records = [
      new Map<number, unknown>([
        [-2, 'roof-1:'],
        [-3, at / 1000 + 7200],
        [0, 'temperature'],
        [2, 30],
      ]),
      new Map<number, unknown>([
        [0, 'temperature'],
        [6, 60],
        [2, 31],
      ]),
    ];
    const third = await as('application/senml+cbor', new Blob([new Uint8Array(encode(records))]));
    expect(third).toMatchObject({ status: 201 });
    expect((await done(third.body.id as number, ['kept', 'failed'])).state).toBe('kept');
    expect((await kept()).filter((row) => row.at.startsWith('2024-05-01T10')).map(({ value }) => value)).toEqual([30, 31]);
    expect((await as('application/senml+cbor', 'not cbor')).status).toBe(422);
    const span = `points=roof-1/temperature&from=${at}&to=${at + 86_400_000}`;
    const exported = async (form: string): Promise<Buffer> => {
      const answer = await fetch(`${house.server.url}/api/v1/exports/readings.${form}?${span}`, {
        headers: { cookie: house.maker.cookie() },
      });
      return Buffer.from(await answer.arrayBuffer());
    };
    const inJson = JSON.parse((await exported('senml')).toString()) as { n: string; t: number; v: number }[];
    const inCbor = decode(await exported('cbor')) as Map<number, unknown>[];
    expect(inJson.length).toBeGreaterThan(6);
    expect(inCbor.map((one) => ({ n: one.get(0), t: one.get(6), v: one.get(2) }))).toEqual(inJson);
    await house.maker.call('DELETE', `/api/v1/imports/${third.body.id as number}`);
    const page = { 'content-type': 'application/xml', cookie: house.maker.cookie(), origin: house.server.url };
    expect((await fetch(`${house.server.url}/api/v1/imports`, { method: 'POST', headers: page, body: '<a/>' })).status).toBe(415);
    for (const { id } of [taken.body, second.body]) await house.maker.call('DELETE', `/api/v1/imports/${id as number}`);
    expect((await kept()).some((row) => row.at.startsWith('2024-05-01'))).toBe(false);
  });
});
