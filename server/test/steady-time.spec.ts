import { isExpired } from '@dewpost/core/wire';
import { decode } from '../src/intake/decode';
import { takeIn } from '../src/intake/pipeline';
import { silentAfterMs } from '../src/model/periods';
import type { NodeEntry } from '../src/model/entries';
import { anEngine } from './an-engine';
import { Failures } from './failures';
import { openHouse, type House } from './house';

let house: House;
let failures: Failures;
beforeAll(async () => {
  house = await openHouse();
  failures = await Failures.on(house.database);
});
afterAll(() => house.close());
afterEach(() => failures.now(null));

describe('time', () => {
  it('the clock is set an hour forward and ten minutes back: nothing trips, nobody is silent, a hand’s time goes on from where it was', async () => {
    const made = await house.node('steady-6');
    await house.database('node').where({ name: 'steady-6' }).update({ state: 'proved', heard_at: new Date() });
    await house.maker.post('/api/v1/thresholds', {
      side: 'low',
      setpoint: 60,
      deadband: 5,
      onDelaySeconds: 600,
      offDelaySeconds: 0,
      severity: 'warning',
      output: null,
      point: made.points['humidity'],
    });
    const { engine, registry, parts, time, tick } = await anEngine(house, 9);
    const node = registry.nodes.get('steady-6')!;
    const output = registry.points.get(made.points['humidifier']!)!;
    const say = (humidity: number): Promise<unknown> => {
      const message = { node, body: JSON.stringify([{ n: 'humidity', v: humidity }]), arrivedAt: time.wall };
      return engine.work(() => takeIn(parts, [{ ...message, decoded: decode(message) }]));
    };
    await tick(1000);
    node.heardAt = time.wall;
    await say(50);
    await engine.apply([
      {
        kind: 'start-demand',
        demand: { output, source: 'hand', threshold: null, startedAt: time.wall, endsAt: time.wall + 60_000, by: 'x', reason: '' },
      },
    ]);
    await tick(1000);
    for (const step of [3_600_000, -600_000]) {
      // A reading is the first to come after it, before anybody has looked at the time.
      time.wall += step + 1000;
      time.steady += 1000;
      await say(50);
      expect(engine.clockSet).toEqual({ at: time.wall, byMs: step });
      expect(engine.state.newest.get(made.points['humidity']!)?.at).toBe(time.wall);
      await tick(1000);
      await say(50);
      expect(engine.state.newest.get(made.points['humidity']!)?.at).toBe(time.wall);
      await tick(1000);
      expect(await house.database('alert').where({ node_id: node.id })).toEqual([]);
      expect(engine.state.demands.get(output.id)).toHaveLength(1);
    }
    // Whoever reads the node's log later finds why times in it jump.
    const noted = await house.database('node_log').where({ node_id: node.id }).whereLike('body', 'the clock of the house%').orderBy('id');
    expect(noted.map(({ body }) => body.slice(0, 48))).toEqual([
      'the clock of the house was set forward by 60 min',
      'the clock of the house was set back by 10 min: d',
    ]);
    // Readings without a time get the time of their arrival, not a crowd behind the last one of before.
    const times = (await house
      .database('reading')
      .where({ point_id: made.points['humidity'] })
      .orderBy('at', 'desc')
      .limit(1)
      .select('at')) as {
      at: Date;
    }[];
    expect(times[0]!.at.getTime()).toBeGreaterThan(time.wall - 3_600_000);
    // The hand's minute ends a minute after it began, by a clock that nobody sets.
    await tick(60_000);
    expect(engine.state.demands.get(output.id)).toBeUndefined();
    expect(await house.database('demand').where({ point_id: output.id }).whereNull('ended_at')).toEqual([]);
  });

  it('a clock that is set while the database is away is made up for when it is back', async () => {
    await house.node('steady-9');
    const { engine, time, tick } = await anEngine(house, 11);
    await tick(1000);
    await failures.now('demand');
    await expect(tick(1000, 3_600_000)).rejects.toThrow(/disk under demand/);
    expect(engine.clockSet).toBeNull();
    await failures.now(null);
    await tick(1000);
    expect(engine.clockSet).toEqual({ at: time.wall, byMs: 3_600_000 });
    await tick(1000);
    expect(engine.clockSet!.at).toBe(time.wall - 1000);
  });

  it('an off that nobody answers goes out again until its lease is over; one that was answered, or a node that is away, is left alone', async () => {
    const made = await house.node('steady-10');
    await house.database('node').where({ name: 'steady-10' }).update({ state: 'proved', heard_at: new Date() });
    const { engine, registry, time, tick } = await anEngine(house, 12);
    const node = registry.nodes.get('steady-10')!;
    const output = registry.points.get(made.points['humidifier']!)!;
    const lease = output.body.output!.leaseSeconds;
    node.connected = true;
    // Nobody else: the time of this test runs ahead of theirs.
    for (const name of registry.nodes.keys()) if (name !== 'steady-10') registry.nodes.delete(name);
    const pass = (ms: number): Promise<void> => {
      node.heardAt = time.wall + ms;
      return tick(ms);
    };
    const offs = () => house.database('command').where({ point_id: output.id, value: false });
    const off = (): Promise<void> => engine.apply([{ kind: 'command', output, on: false, reason: 'hand', at: time.wall }]);
    await pass(0);
    await off();
    await pass(4000);
    expect(await offs()).toHaveLength(1);
    await pass(1500);
    expect(await offs()).toHaveLength(2);
    node.connected = false;
    await pass(6000);
    expect(await offs()).toHaveLength(2);
    node.connected = true;
    for (let s = 0; s < lease + 30; s++) await pass(1000);
    expect((await offs()).length).toBeLessThanOrEqual(lease / 5 + 1);
    // Told anew by a hand it goes out as often as its lease is long; then it is answered.
    const before = (await offs()).length;
    await off();
    for (let s = 0; s < lease + 30; s++) await pass(1000);
    const sent = (await offs()).length;
    expect(sent - before).toBe(Math.ceil(lease / 5));
    await off();
    await engine.readBack(node, {
      id: engine.state.commands.get(output.id)!.id,
      point: 'humidifier',
      result: 'done',
      reason: 'hand',
      state: false,
      readBack: 'contact',
    });
    for (let s = 0; s < 20; s++) await pass(1000);
    expect(await offs()).toHaveLength(sent + 1);
    // A hand that says off again, long after that answer, is heard as surely as the first.
    await off();
    await pass(6000);
    expect(await offs()).toHaveLength(sent + 3);
  });

  it('while the server did not listen nobody was silent', async () => {
    await house.node('steady-7');
    await house.database('node').where({ name: 'steady-7' }).update({ state: 'proved', heard_at: new Date() });
    const { engine, registry, time, tick } = await anEngine(house, 10);
    const node = registry.nodes.get('steady-7')!;
    await tick(0);
    node.heardAt = time.wall;
    // The database was paused for half a minute: no look in all that time.
    await tick(30_000);
    expect(node.silent).toBe(false);
    await tick(1000);
    await tick(1000);
    expect(node.silent).toBe(false);
    // It answers time and again, but what nodes say cannot be stored.
    for (let i = 0; i < 20; i++) {
      engine.couldNotListen();
      await tick(1000);
    }
    expect(node.silent).toBe(false);
    for (let i = 0; i < 6; i++) await tick(1000);
    expect(node.silent).toBe(true);
  });

  it('off is never too old, on is', () => {
    const command = { notAfter: 1000 };
    expect(isExpired({ ...command, value: true }, 1001)).toBe(true);
    expect(isExpired({ ...command, value: true }, 1000)).toBe(false);
    expect(isExpired({ ...command, value: false }, 10_000_000)).toBe(false);
  });

  it('a node that sleeps is silent after two missed signs of life, one that protects after two hours, a quick one after three reports', () => {
    const node = (reportSeconds: number, isProtective = false): NodeEntry =>
      ({ reportSeconds, points: new Map([['p', { body: { protective: isProtective } }]]) }) as unknown as NodeEntry;
    expect(silentAfterMs(node(10))).toBe(30_000);
    expect(silentAfterMs(node(1))).toBe(5000);
    expect(silentAfterMs(node(86_400)) / 3_600_000).toBeCloseTo(50.4);
    expect(silentAfterMs(node(86_400, true)) / 3_600_000).toBeCloseTo(2.1);
    expect(silentAfterMs(node(3600)) / 3_600_000).toBeCloseTo(2.1);
  });
});
