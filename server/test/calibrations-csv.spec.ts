import { parse } from 'csv-parse/sync';
import { FakeNode, openHouse, type Body, type House } from './house';

const T0 = Math.floor(Date.now() / 60_000) * 60_000 - 3_600_000;
let house: House;
let link: FakeNode;
beforeAll(async () => {
  house = await openHouse({ DEWPOST_JOBS_BY_CLOCK: '0' }, 'taken as done');
  const { key } = await house.node('loft-1', 'Grain loft');
  await house.node('loft-2', 'Grain loft');
  link = await FakeNode.connect(house.server.mqttPort, 'loft-1', key);
});
afterAll(async () => {
  await link?.end();
  await house?.close();
});

const table = async (): Promise<string> =>
  (await fetch(`${house.server.url}/api/v1/calibrations.csv`, { headers: { cookie: house.keeper.cookie() } })).text();
const send = async (body: string, who = house.maker, type = 'text/csv'): Promise<{ status: number; body: Body }> => {
  const answer = await fetch(`${house.server.url}/api/v1/calibrations.csv`, {
    method: 'POST',
    headers: { 'content-type': type, cookie: who.cookie() },
    body,
  });
  return { status: answer.status, body: (await answer.json()) as Body };
};
const inForce = async (): Promise<Body[]> => (await house.maker.get('/api/v1/calibrations')).body as Body[];

describe('calibrations as a table', () => {
  it('go out with what they were made from, and come back to the same figures; what is there is passed over', async () => {
    const path = '/api/v1/points/loft-1/temperature/calibrations';
    const captures = [
      { raw: 0.1, reference: 0 },
      { raw: 40, reference: 41.5 },
    ];
    const { body: first } = await house.maker.post(path, {
      method: 'two-point',
      captures,
      note: 'ice, "and" warm; water',
      from: T0,
      dueMonths: 12,
    });
    const text = await table();
    const [row] = parse(text, { columns: true }) as Record<string, string>[];
    expect(row).toMatchObject({
      ...{ node: 'loft-1', point: 'temperature', method: 'two-point', captures: '0.1=0 40=41.5', 'due months': '12' },
      note: 'ice, "and" warm; water',
    });
    expect((await send(text)).body).toEqual([
      { row: 2, node: 'loft-1', point: 'temperature', version: null, refused: 'it is there already, as version 1' },
    ]);

    // Withdrawn here, and taken in again from the table: the same conversion, from the same time on.
    await house.maker.call('DELETE', `${path}/1`);
    expect((await send(text)).body).toEqual([{ row: 2, node: 'loft-1', point: 'temperature', version: 2, refused: null }]);
    const [again] = await inForce();
    expect(again).toMatchObject({ version: 2, coefficients: first.coefficients, from: T0, captures });
    expect(again!['uncertainty']).toBeGreaterThanOrEqual(first.uncertainty);
  });

  it('each row says for itself what became of it; one that cannot be takes no other along', async () => {
    const heads = 'node,point,method,captures,from';
    const rows = [
      'loft-2,temperature,offset,20=20.5,',
      'loft-2,colour,offset,20=20.5,',
      'loft-2,temperature,guess,20=20.5,',
      'loft-2,temperature,offset,20-20.5,',
      'loft-2,temperature,two-point,20=20.5,',
      'loft-2,dew-point,offset,9=8,',
      'loft-2,humidity,offset,50=51,yesterday',
    ];
    const { body } = await send([heads, ...rows].join('\n'));
    expect((body as Body[]).map(({ row, version }) => [row, version])).toEqual([
      [2, 1],
      [3, null],
      [4, null],
      [5, null],
      [6, null],
      [7, null],
      [8, null],
    ]);
    expect((body as Body[]).slice(1).map(({ refused }) => refused)).toEqual([
      'there is no such point',
      expect.stringMatching(/method/),
      'captures are raw=reference, apart by spaces',
      expect.stringMatching(/two points make it/i),
      expect.stringMatching(/calibrate what it is computed from/),
      expect.stringMatching(/from is no time/),
    ]);
    expect((await inForce()).length).toBe(2);
  });

  it('is no matter of a keeper’s, and what is no such table is refused whole', async () => {
    expect((await send('node,point,method,captures\n', house.keeper)).status).toBe(403);
    const other = await send('time,value\n1,2\n');
    expect([other.status, other.body.detail]).toEqual([
      422,
      expect.stringMatching(/here node and point and method and captures is missing/),
    ]);
    expect((await send('{}', house.maker, 'application/json')).status).toBe(415);
  });
});
