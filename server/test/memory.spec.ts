import fc from 'fast-check';
import { readStored } from '../src/engine/load';
import { decode } from '../src/intake/decode';
import { takeIn } from '../src/intake/pipeline';
import { anEngine } from './an-engine';
import { Failures, WRITTEN } from './failures';
import { openHouse, type House } from './house';

let house: House;
let failures: Failures;
beforeAll(async () => {
  house = await openHouse();
  failures = await Failures.on(house.database);
});
afterAll(() => house.close());
afterEach(() => failures.now(null));

describe('memory and database say the same', () => {
  it('whatever fails in between: readings, alerts, demands, commands and the states of thresholds (random work, random failures)', async () => {
    const made = await house.node('steady-1');
    await house.database('node').where({ name: 'steady-1' }).update({ state: 'proved' });
    const rule = {
      side: 'low',
      setpoint: 60,
      deadband: 5,
      onDelaySeconds: 0,
      offDelaySeconds: 0,
      severity: 'warning',
      output: made.points['humidifier'],
    };
    await house.maker.post('/api/v1/thresholds', { ...rule, point: made.points['humidity'] });
    await house.maker.post('/api/v1/thresholds', {
      ...rule,
      setpoint: 40,
      output: null,
      severity: 'critical',
      point: made.points['humidity'],
    });
    const { engine, registry, parts, told, time } = await anEngine(house, 7);
    const node = registry.nodes.get('steady-1')!;
    const output = registry.points.get(made.points['humidifier']!)!;
    const point = made.points['humidity']!;
    let at = Date.now() - 3_600_000;

    const say = async (humidity: number): Promise<boolean> => {
      at += 5000;
      const body = JSON.stringify([{ n: 'humidity', t: at / 1000, v: humidity }]);
      const message = { node, body, arrivedAt: at };
      const taken = await engine
        .work(() => takeIn(parts, [{ ...message, decoded: decode(message) }]))
        .then(
          () => true,
          () => false,
        );
      // What was answered is stored, and what was not is not.
      expect(await house.database('reading').where({ point_id: point, at: new Date(at) })).toHaveLength(taken ? 1 : 0);
      return taken;
    };
    const hand = (on: boolean): Promise<boolean> =>
      engine
        .apply(
          on
            ? [
                {
                  kind: 'start-demand',
                  demand: { output, source: 'hand', threshold: null, startedAt: at, endsAt: Date.now() + 60_000, by: 'x', reason: '' },
                },
              ]
            : [{ kind: 'end-demand', output, source: 'hand', threshold: null, at, why: 'off' }],
        )
        .then(
          () => true,
          () => false,
        );
    const agree = async (): Promise<void> => {
      const stored = await readStored(house.database, registry, 7);
      const known = engine.state;
      const ofNode = (alerts: typeof known.alerts) =>
        [...alerts].flatMap(([key, alert]) => (alert.node === 'steady-1' ? [`${key} ${alert.id}`] : [])).sort();
      expect(ofNode(known.alerts)).toEqual(ofNode(stored.alerts));
      const demands = (all: typeof known.demands) => (all.get(output.id) ?? []).map((demand) => demand.id);
      expect(demands(known.demands)).toEqual(demands(stored.demands));
      expect(known.newest.get(point)?.at).toBe(stored.newest.get(point)?.at);
      for (const [id, state] of stored.thresholds) expect(known.thresholds.get(id)).toEqual(state);
      const waiting = (await house.database('command').where({ point_id: output.id }).orderBy('issued', 'desc').first('id')) as
        { id: string } | undefined;
      expect(known.commands.get(output.id)?.id).toBe(waiting?.id);
    };

    const step = fc.record({
      work: fc.oneof(fc.integer({ min: 20, max: 90 }), fc.constantFrom('on' as const, 'off' as const)),
      fails: fc.option(fc.constantFrom(...WRITTEN), { freq: 2 }),
    });
    let [kept, lost] = [0, 0];
    await fc.assert(
      fc.asyncProperty(fc.array(step, { minLength: 5, maxLength: 25 }), async (steps) => {
        for (const { work, fails } of steps) {
          time.wall += 10;
          time.steady += 10;
          await failures.now(fails);
          told.length = 0;
          const done = typeof work === 'number' ? await say(work) : await hand(work === 'on');
          if (done) kept++;
          else {
            lost++;
            // Nobody is told of what did not happen.
            expect(told).toEqual([]);
          }
          await agree();
        }
        // And nothing is stuck afterwards: it trips, and it clears.
        await failures.now(null);
        await say(85);
        expect(await house.database('alert').where({ point_id: point, kind: 'threshold' }).whereNull('cleared_at')).toHaveLength(0);
        await say(30);
        expect(await house.database('alert').where({ point_id: point, kind: 'threshold' }).whereNull('cleared_at')).toHaveLength(2);
        await agree();
      }),
      { numRuns: 8, endOnFailure: true },
    );
    // The test has seen both.
    expect(kept).toBeGreaterThan(20);
    expect(lost).toBeGreaterThan(10);
  });

  it('a commit that got no answer: what the database has is read before anything is decided', async () => {
    const made = await house.node('steady-2');
    await house.database('node').where({ name: 'steady-2' }).update({ state: 'proved' });
    const { engine, registry, store, line } = await anEngine(house, 8);
    const node = registry.nodes.get('steady-2')!;
    const output = registry.points.get(made.points['humidifier']!)!;
    const demand = {
      output,
      source: 'hand' as const,
      threshold: null,
      startedAt: Date.now(),
      endsAt: Date.now() + 60_000,
      by: 'x',
      reason: '',
    };
    line.losesAnswer = true;
    await expect(engine.apply([{ kind: 'start-demand', demand }])).rejects.toThrow(/went away while it committed/);
    expect(engine.state.demands.get(output.id)).toBeUndefined();
    // Ended although this memory never saw it begin.
    await engine.apply([{ kind: 'end-demand', output, source: 'hand', threshold: null, at: Date.now(), why: 'off' }]);
    expect(await house.database('demand').where({ point_id: output.id }).whereNull('ended_at')).toHaveLength(0);
    // Whoever's commit it was: what became of a node is read anew too, and what only this process knows of it stays.
    Object.assign(node, { connected: true, hellos: 3 });
    line.losesAnswer = true;
    const write = store.commit(async (change) => {
      await change.trx('node').where({ id: node.id }).update({ state: 'stopped', revision: 12 });
      change.apply(() => Object.assign(node, { state: 'stopped', revision: 12 }));
    });
    await expect(write).rejects.toThrow(/went away/);
    expect([node.state, node.revision]).toEqual(['proved', 1]);
    await engine.upToDate();
    expect([node.state, node.revision, node.connected, node.hellos]).toEqual(['stopped', 12, true, 3]);
    expect(registry.nodes.get('steady-2')).toBe(node);
  });
});
