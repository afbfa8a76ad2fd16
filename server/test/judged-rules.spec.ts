import { eventually, type Body, type House } from './house';
import { TwoNodes } from './two-nodes';

let both: TwoNodes;
let house: House;
beforeAll(async () => {
  both = await TwoNodes.open();
  ({ house } = both);
});
afterAll(() => both?.close());

describe('what a rule may judge', () => {
  it('a band is left at either end, and its alert says what was read', async () => {
    const band = await both.armed({ setpoint: 70, judges: { kind: 'band', low: 50 }, deadband: 2 });
    await both.read(45);
    const alert = await band.opened();
    expect(alert).toMatchObject({ title: 'Humidity outside its band', value: 45 });
    expect(alert.text).toBe('Outside 50.0 % to 70.0 %: 45.0 % in Grain loft (loft-1).');
    await both.read(51.9);
    expect((await band.alerts())[0].clearedAt).toBeNull();
    await both.read(52);
    await band.cleared();
    await band.retire();
  });

  it('a change within a time, once the record reaches back as far', async () => {
    const rise = await both.armed({ setpoint: 10, judges: { kind: 'rate', overSeconds: 4 } });
    await both.read(60);
    await both.read(64, 2);
    await both.read(69, 2);
    expect(await rise.alerts()).toEqual([]);
    await both.read(71, 1);
    expect(await rise.alerts()).toEqual([]);
    await both.read(75, 1);
    expect(await rise.opened()).toMatchObject({ title: 'Humidity rises fast', value: 11 });
    expect((await rise.alerts())[0].text).toBe('At or above +10.0 % within 4 s: +11.0 % in Grain loft (loft-1).');
    await rise.retire();
  });

  it('how often it comes', async () => {
    const often = await both.armed({ setpoint: 2, deadband: 1, judges: { kind: 'count', level: 90, withinSeconds: 3600 } });
    for (const value of [60, 91, 92, 60]) await both.read(value);
    expect(await often.alerts()).toEqual([]);
    await both.read(90);
    expect(await often.opened()).toMatchObject({ title: 'Humidity too often', value: 2 });
    await both.read(60);
    await often.retire();
  });

  it('a silence trips without any report, and ends with the next; it switches nothing on', async () => {
    const silent = await both.armed({ setpoint: 5, judges: { kind: 'silence' } });
    both.catchUp();
    await both.read(60, 0);
    expect(await silent.opened()).toMatchObject({ title: 'Humidity not read', value: 5 });
    both.catchUp();
    await both.read(61, 0);
    await silent.cleared();
    await silent.retire();
    const { status, body } = await both.add({ setpoint: 60, judges: { kind: 'silence' }, output: both.points['humidifier'] });
    expect([status, body.detail]).toEqual([422, expect.stringMatching(/switches nothing on/)]);
  });

  it('what it reads above another, and says against which', async () => {
    const differs = await both.armed({ setpoint: 15, judges: { kind: 'difference', point: both.others['humidity'] } });
    await both.read(60, 0.2, both.far);
    await both.read(74);
    expect(await differs.alerts()).toEqual([]);
    await both.read(58, 0.2, both.far);
    const alert = await differs.opened();
    expect(alert).toMatchObject({ title: 'Humidity too far above that of loft-2', value: 16 });
    expect(alert.text).toContain('against that of loft-2');
    await differs.retire();
  });

  it('two conditions: nothing trips, and nothing is switched, by one of them', async () => {
    const rule = await both.armed({
      ...{ setpoint: 80, deadband: 5, output: both.points['humidifier'] },
      also: { join: 'and', point: both.others['humidity'], side: 'low', setpoint: 50 },
    });
    await both.read(60, 0.2, both.far);
    await both.read(85);
    await both.read(86);
    expect([await rule.alerts(), both.near.commands.filter(({ value }) => value)]).toEqual([[], []]);
    await both.read(49, 0.2, both.far);
    expect((await rule.opened()).text).toBe(
      'At or above 80.0 %, and humidity of loft-2 at or below 50.0 %: 86.0 % in Grain loft (loft-1).',
    );
    await eventually(() => both.near.commands.at(-1)?.value === true, 'on');
    await both.read(51, 0.2, both.far);
    await rule.cleared();
    await eventually(() => both.near.commands.at(-1)?.value === false, 'off');
    await rule.retire();
  });

  it('a rule that judges more than a value is not the node’s to follow alone, and is proved only once what it judges is known', async () => {
    const { id, retire } = await both.armed({ setpoint: 95, judges: { kind: 'rate', overSeconds: 60 }, output: both.points['humidifier'] });
    const { body } = await house.maker.get('/api/v1/trip-tests');
    const ready = (body.rules as Body[]).find(({ threshold }) => threshold === id);
    expect(ready.hindered).toMatch(/not known yet: it has to be read for as long as it looks back/);
    expect((await house.maker.post(`/api/v1/thresholds/${id}/trip-test`, {})).status).not.toBe(200);
    const kept = await house.database('node').where({ name: 'loft-1' }).first();
    expect(JSON.stringify(kept)).not.toContain('"rate"');
    await retire();
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
  const { status, body: said } = await both.add(body);
  expect([status, said.detail]).toEqual([422, expect.stringMatching(why)]);
});

it('a point is not held against itself, nor against another unit; a second condition is on another point', async () => {
  const self = await both.add({ judges: { kind: 'difference', point: both.points['humidity'] }, setpoint: 2 });
  const unit = await both.add({ judges: { kind: 'difference', point: both.points['temperature'] }, setpoint: 2 });
  const also = await both.add({ also: { join: 'or', point: both.points['humidity'], side: 'high', setpoint: 50 } });
  expect([self.body.detail, unit.body.detail, also.body.detail]).toEqual([
    expect.stringMatching(/from itself/),
    expect.stringMatching(/same unit/),
    expect.stringMatching(/another point/),
  ]);
});
