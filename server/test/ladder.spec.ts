import { openHouse, type Answer, type House } from './house';

let house: House;
let point: number;
let other: number;
beforeAll(async () => {
  house = await openHouse();
  point = (await house.node('loft-1', 'Grain loft')).points['temperature']!;
  other = (await house.node('loft-2', 'Grain loft')).points['temperature']!;
}, 60_000);
afterAll(() => house.close());

const body = (severity: string, setpoint: number, change: object = {}) => ({
  ...{ side: 'high', setpoint, deadband: 1, onDelaySeconds: 60, offDelaySeconds: 60, severity, output: null },
  ...change,
});
const add = (severity: string, setpoint: number, change: object = {}, at = point): Promise<Answer> =>
  house.maker.post('/api/v1/thresholds', { point: at, ...body(severity, setpoint, change) });
const rules = async (): Promise<{ id: number; setpoint: number; severity: string }[]> =>
  (await house.maker.get('/api/v1/thresholds')).body.filter((rule: { point: number }) => rule.point === point);
let warning: number;

describe('a ladder of limits', () => {
  it('a graver limit before a lesser one is refused at its field, with the other named, and nothing is armed', async () => {
    warning = (await add('warning', 30)).body.id;
    const { status, body: refused } = await add('critical', 28);
    expect([status, refused.errors[0].path]).toEqual([422, 'body.setpoint']);
    expect(refused.detail).toMatch(/^A ladder rises: with the warning alert at 30 °C the lesser of the two would never be told/);
    expect((await add('advisory', 30)).status).toBe(422);
    expect(await rules()).toHaveLength(1);
  });

  it('further out it is armed; so is one that waits longer, one of some hours only, one that only is noticed, one of another point', async () => {
    for (const answer of [
      await add('critical', 34),
      await add('critical', 28, { onDelaySeconds: 3600 }),
      await add('critical', 28, { hours: { weekdays: [1, 2, 3], from: 0, to: 600 } }),
      await add('critical', 27, { consequences: ['notice'] }),
      await add('critical', 28, {}, other),
    ])
      expect([answer.status, answer.body.detail]).toEqual([200, undefined]);
  });

  it('a change that would make it fall is refused, and what was in force stays', async () => {
    const moved = await house.maker.call('PUT', `/api/v1/thresholds/${warning}`, { from: 1, ...body('warning', 36) });
    expect(moved.status).toBe(422);
    expect((await rules()).find(({ id }) => id === warning)?.setpoint).toBe(30);
  });

  it('limits that are moved together in a table may pass each other on the way', async () => {
    const csv = (
      await (await fetch(`${house.server.url}/api/v1/thresholds.csv`, { headers: { cookie: house.maker.cookie() } })).text()
    ).split('\r\n');
    const column = csv[0]!.split(',').indexOf('setpoint');
    const shifted = csv.map((line, i) => {
      const cells = line.split(',');
      const setpoint = Number(cells[column]);
      if (i > 0 && [30, 34].includes(setpoint)) cells[column] = String(setpoint + 10);
      return cells.join(',');
    });
    const answer = await fetch(`${house.server.url}/api/v1/thresholds.csv`, {
      method: 'PUT',
      headers: { 'content-type': 'text/csv', cookie: house.maker.cookie(), origin: house.server.url },
      body: shifted.join('\r\n'),
    });
    expect([answer.status, ((await answer.json()) as { taken: boolean }).taken]).toEqual([200, true]);
    expect((await rules()).map(({ setpoint }) => setpoint)).toEqual(expect.arrayContaining([40, 44]));
  });
});
