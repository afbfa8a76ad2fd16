import type { Effect } from '../src/engine/effects';
import { decode } from '../src/intake/decode';
import { takeIn } from '../src/intake/pipeline';
import { anEngine } from './an-engine';
import { openHouse, type House } from './house';

let house: House;
beforeAll(async () => {
  house = await openHouse();
});
afterAll(() => house.close());

describe('one statement', () => {
  const rule = {
    side: 'low',
    setpoint: 60,
    deadband: 5,
    onDelaySeconds: 0,
    offDelaySeconds: 0,
    severity: 'warning',
    output: null,
  };
  const taking = async (name: string, shard: number) => {
    const made = await house.node(name);
    await house.database('node').where({ name }).update({ state: 'proved' });
    const point = made.points['humidity']!;
    await house.maker.post('/api/v1/thresholds', { ...rule, point });
    const { engine, registry, parts, line } = await anEngine(house, shard);
    const node = registry.nodes.get(name)!;
    const { statements } = line;
    const count = ({ sql }: { sql: string }): void => void statements.push(sql);
    const take = async (...records: [at: number, humidity: number][]) => {
      const message = { node, body: JSON.stringify(records.map(([at, v]) => ({ n: 'humidity', t: at / 1000, v }))), arrivedAt: Date.now() };
      statements.length = 0;
      house.database.on('query', count);
      try {
        return (await engine.work(() => takeIn(parts, [{ ...message, decoded: decode(message) }])))[0]!;
      } finally {
        house.database.off('query', count);
      }
    };
    return { made, node, point, engine, registry, take, statements, line, output: registry.points.get(made.points['humidifier']!)! };
  };

  it('readings that are newer than all that is known are one statement, with all that they decide; others go step by step', async () => {
    const { point, engine, take, statements, line } = await taking('at-once-1', 21);
    const at = Date.now() - 60_000;
    // The first also makes sure of the month and takes numbers ahead.
    expect(await take([at, 70])).toMatchObject({ stored: 1 });
    // Trips, clears and trips within one message: two alerts, the first over, each with its events.
    expect(await take([at + 1000, 50], [at + 2000, 70], [at + 3000, 40])).toMatchObject({ stored: 3, duplicates: 0 });
    expect(statements.filter((sql) => !/pg_advisory|nextval/.test(sql))).toHaveLength(1);
    const alerts = await house.database('alert').where({ point_id: point }).orderBy('id');
    expect(alerts.map((alert) => [alert.cleared_at !== null, alert.cleared_why !== null])).toEqual([
      [true, true],
      [false, false],
    ]);
    expect(engine.openAlerts().filter((alert) => alert.point === point)).toEqual([
      expect.objectContaining({ id: alerts[1].id, value: 40 }),
    ]);
    const events = await house
      .database('alert_event')
      .whereIn(
        'alert_id',
        alerts.map(({ id }) => id),
      )
      .orderBy('id');
    expect(events.map(({ alert_id: id, what }) => [id === alerts[0].id, what === 'tripped'])).toEqual([
      [true, true],
      [true, false],
      [false, true],
    ]);

    // One that was open clears, and the next opens, in one message: the schema allows only one at a time.
    expect(await take([at + 3100, 70], [at + 3200, 30])).toMatchObject({ stored: 2 });
    expect(statements.filter((sql) => !/pg_advisory|nextval/.test(sql))).toHaveLength(1);
    expect(await take([at + 3300, 70])).toMatchObject({ stored: 1 });
    expect(await take([at + 3400, 40])).toMatchObject({ stored: 1 });
    const open = await house.database('alert').where({ point_id: point }).whereNull('cleared_at');
    expect(open.map(({ value }) => value)).toEqual([40]);

    // Sent again, and something older: stored once, the older one counted, and neither decides again.
    expect(await take([at + 3400, 40])).toMatchObject({ stored: 0, duplicates: 1 });
    expect(await take([at + 500, 65])).toMatchObject({ stored: 1, duplicates: 0 });
    // Memory that knows less than the database (here: somebody wrote a reading besides) is told so by the database.
    await house.database.raw(`insert into reading (point_id, at, raw, value, quality, flags, reason) values (?, ?, 41, 41, 0, 0, 0)`, [
      point,
      new Date(at + 4000),
    ]);
    expect(await take([at + 4000, 41], [at + 5000, 42])).toMatchObject({ stored: 1, duplicates: 1 });
    // The answer is lost on the way: whoever sends again is told of a duplicate, and there is no second alert.
    line.losesAnswer = true;
    await expect(take([at + 6000, 70])).rejects.toThrow(/went away while it committed/);
    expect(await take([at + 6000, 70])).toMatchObject({ stored: 0, duplicates: 1 });
    expect(engine.openAlerts().filter((alert) => alert.point === point)).toEqual([]);
    expect(await house.database('alert').where({ point_id: point })).toHaveLength(4);
    expect(await house.database('alert').where({ point_id: point }).whereNull('cleared_at')).toHaveLength(0);
  });

  it('when a node was heard is noted with its first message and then every ten seconds, not with each; memory knows it of each', async () => {
    const { node, take, statements } = await taking('heard-1', 23);
    const at = Date.now() - 60_000;
    const noted = (): boolean => statements.some((sql) => /heard as \(update node set heard_at/.test(sql));
    const heardAt = async (): Promise<number> =>
      ((await house.database('node').where({ name: 'heard-1' }).first('heard_at')) as { heard_at: Date }).heard_at.getTime();
    await take([at, 70]);
    expect([noted(), node.silent, await heardAt()]).toEqual([true, false, node.heardAt]);
    const first = await heardAt();
    Object.assign(node, { silent: true, heardAt: 0 });
    await take([at + 1000, 70]);
    expect([noted(), node.silent, await heardAt(), node.heardAt! >= first]).toEqual([false, false, first, true]);
    node.heardNotedAt -= 10_000;
    await take([at + 2000, 70]);
    expect([noted(), await heardAt()]).toEqual([true, node.heardAt]);
  });

  it('nodes that are not proved are judged each by its own measured readings, and proved ones are judged no more', async () => {
    const { engine, registry, parts } = await (async () => {
      for (const name of ['judged-1', 'judged-2', 'judged-3']) await house.node(name);
      await house.database('node').where({ name: 'judged-3' }).update({ state: 'proved' });
      return anEngine(house, 24);
    })();
    const asked: Record<string, string[]> = {};
    const judging: typeof parts = {
      ...parts,
      judgeFirst: ((_change: unknown, node: { name: string }, readings: readonly { point: { name: string; node: { name: string } } }[]) => {
        asked[node.name] = readings.map(({ point }) => `${point.node.name} ${point.name}`);
        return Promise.resolve(false);
      }) as unknown as typeof parts.judgeFirst,
    };
    const message = (name: string) => {
      const received = { node: registry.nodes.get(name)!, body: '{"humidity":60,"temperature":20}', arrivedAt: Date.now() };
      return { ...received, decoded: decode(received) };
    };
    await engine.work(() => takeIn(judging, ['judged-1', 'judged-2', 'judged-3'].map(message)));
    // The dew point is computed here: it proves no sensor.
    expect(Object.keys(asked)).toEqual(['judged-1', 'judged-2']);
    for (const [name, readings] of Object.entries(asked)) expect(readings.sort()).toEqual([`${name} humidity`, `${name} temperature`]);
  });

  it('an output asked for anew ends the demand before it; one asked for and let go at once is one row that is over', async () => {
    const { engine, output } = await taking('at-once-2', 22);
    const now = Date.now();
    const ask = (by: string): Effect => ({
      kind: 'start-demand',
      demand: { output, source: 'hand', threshold: null, startedAt: now, endsAt: now + 60_000, by, reason: '' },
    });
    await engine.apply([ask('Ada')]);
    await engine.apply([ask('Ben')]);
    await engine.apply([ask('Cem'), ask('Dee')]);
    await engine.apply([ask('Eve'), { kind: 'end-demand', output, source: 'hand', threshold: null, at: now, why: 'off' }]);
    const rows = await house.database('demand').where({ point_id: output.id }).orderBy('id');
    expect(rows.map((row) => [row.by_whom, row.ended_why])).toEqual([
      ['Ada', 'asked anew'],
      ['Ben', 'asked anew'],
      ['Cem', 'asked anew'],
      ['Dee', 'asked anew'],
      ['Eve', 'off'],
    ]);
    expect(engine.state.demands.get(output.id)).toBeUndefined();
    // Each command lies in the outbox once, under the number it was sent with.
    const commands = await house.database('command').where({ point_id: output.id });
    const sent = await house.database('outbox').where({ kind: 'command' }).whereRaw(`body->>'node' = 'at-once-2'`);
    expect(sent.map((row) => row.body.command.id).sort()).toEqual(commands.map((row) => row.id).sort());
  });
});
