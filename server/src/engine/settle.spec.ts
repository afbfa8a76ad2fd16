import { pointSchema } from '@dewpost/contract';
import { Registry } from '../model/registry';
import { pointView } from '../model/views';
import type { NodeEntry, PointEntry } from '../model/entries';
import { Draft, emptyEngineState } from './draft';
import type { Effect } from './effects';
import { settleOutputs } from './settle';

const NOW = Date.UTC(2026, 10, 27, 12);
let ids = 0;

function nodeOf(name: string, reportSeconds: number): NodeEntry {
  const node = { id: ++ids, name, title: name, state: 'proved', fittedAt: 1, reportSeconds, unproved: new Set(), connected: true };
  return { ...node, keyDigest: Buffer.from(name), points: new Map() } as unknown as NodeEntry;
}
function pointOf(node: NodeEntry, name: string, output: object | null = null): PointEntry {
  const body = { name, label: name, kind: output ? 'switched' : 'measured', unit: '%', min: 0, max: 100, decimals: 0, confirm: 'readings' };
  const judged = { physicalMin: 0, physicalMax: 100, spikeStep: null, stuckAfterSeconds: null };
  const whole = { ...body, ...judged, output, derived: null, raw: null };
  const point = { id: ++ids, node, name, body: whole, calibrations: [], heldUntil: null, sheetJudging: null };
  const entry = { ...point, winners: [], losers: [], inputs: [], inputGone: false } as unknown as PointEntry;
  node.points.set(name, entry);
  return entry;
}

/** A rule on a point that is computed, over another, from two nodes that report every 30 and 60 s; it has its output on. */
function house() {
  const registry = new Registry();
  const [quick, slow, here, relay] = [nodeOf('quick', 30), nodeOf('slow', 60), nodeOf('computed-loft', 900), nodeOf('relay', 30)];
  const inputs = [pointOf(quick, 'inside'), pointOf(slow, 'outside')];
  const mean = pointOf(here, 'mean');
  const above = pointOf(here, 'above');
  const fan = pointOf(relay, 'fan', { leaseSeconds: 60, failSafe: 'off' });
  registry.putNodes([quick, slow, here, relay]);
  const rule = { side: 'high', setpoint: 60, deadband: 2, clearLevel: 58, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning' };
  const whole = { ...rule, confirm: 'readings', consequences: ['control'], act: 'on', output: fan.id };
  registry.putThreshold(9, above.id, 1, whole as unknown as Parameters<Registry['putThreshold']>[3]);
  registry.putInputs(above, [mean], false);
  registry.putInputs(mean, inputs, false);
  const draft = new Draft(emptyEngineState());
  draft.setThreshold(9, { phase: 'active', since: null, lastAt: NOW, lastValue: 70, watermark: null });
  draft.demands.set(fan.id, [{ source: 'threshold', threshold: 9, endsAt: null } as never]);
  draft.commands.set(fan.id, { on: true, at: NOW, since: NOW, id: 'a', answeredAt: NOW });
  draft.lastGood.set(above.id, NOW);
  const toldAt = (now: number): boolean | undefined =>
    settleOutputs(registry, draft, now, 0).flatMap((effect: Effect) => (effect.kind === 'command' ? [effect.on] : []))[0];
  return { registry, mean, above, inputs, slow, toldAt };
}

describe('an output that a computed point has switched on', () => {
  it('goes off when the slowest of what it is computed from has missed three reports, however seldom its own node counts', () => {
    const { registry, toldAt, above } = house();
    expect(toldAt(NOW + 179_000)).toBe(true);
    expect(toldAt(NOW + 180_000)).toBe(false);
    expect(registry.thresholds.get(9)!.engineRule.maxGapMs).toBe(180_000);
    expect(pointSchema.parse(pointView(above)).everySeconds).toBe(60);
  });
  it('waits as long as that takes when it is asked to report less often, and no longer when more often', () => {
    const { registry, slow, inputs, toldAt } = house();
    slow.reportSeconds = 40;
    registry.retime(inputs[1]!);
    expect(registry.thresholds.get(9)!.engineRule.maxGapMs).toBe(120_000);
    expect(toldAt(NOW + 120_000)).toBe(false);
  });
  it('goes off at once when something it is computed from, two storeys below, is gone with its node; its rules act no more', () => {
    const { registry, mean, above, inputs, toldAt } = house();
    expect([registry.armedAt(above), toldAt(NOW + 25_000)]).toEqual([true, true]);
    registry.putInputs(mean, [inputs[0]!], true);
    expect([registry.armedAt(above), toldAt(NOW + 25_000)]).toEqual([false, false]);
  });
});

describe('an output that runs in proportion', () => {
  const MIN = 60_000;
  /** Heats below 20, clears at 22: whole at 18, half at 20; cycles of ten minutes from the trip. */
  function heater(value: number, over: object = {}) {
    const registry = new Registry();
    const [probe, mat] = [nodeOf('probe', 600), nodeOf('mat', 600)];
    const inside = pointOf(probe, 'inside');
    const heat = pointOf(mat, 'heat', { leaseSeconds: 60, failSafe: 'off', guards: { minOnSeconds: 60, minOffSeconds: 60 } });
    registry.putNodes([probe, mat]);
    const rule = { side: 'low', setpoint: 20, deadband: 2, clearLevel: 22, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'advisory' };
    const whole = { ...rule, confirm: 'readings', consequences: ['control'], act: 'on', output: heat.id };
    registry.putThreshold(9, inside.id, 1, { ...whole, proportional: { band: 4, cycleSeconds: 600 }, ...over } as never);
    const draft = new Draft(emptyEngineState());
    draft.setThreshold(9, { phase: 'active', since: null, lastAt: NOW, lastValue: value, watermark: null });
    draft.demands.set(heat.id, [{ source: 'threshold', threshold: 9, startedAt: NOW, endsAt: null } as never]);
    draft.lastGood.set(inside.id, NOW);
    draft.newest.set(inside.id, { at: NOW, value, quality: 'good', reason: null });
    /** Minutes of so many that it runs, told each second and answered at once. */
    const runs = (minutes: number): { on: number; starts: number } => {
      let [on, starts] = [0, 0];
      for (let at = NOW; at < NOW + minutes * MIN; at += 1000) {
        for (const effect of settleOutputs(registry, draft, at, 0)) {
          if (effect.kind !== 'command') continue;
          if (effect.on && !draft.commands.get(heat.id)?.on) starts++;
          draft.commands.set(heat.id, { on: effect.on, at, since: at, id: 'a', answeredAt: at });
        }
        if (draft.commands.get(heat.id)?.on) on++;
      }
      return { on: on / 60, starts };
    };
    return { registry, draft, inside, runs };
  }

  it('runs its share of each cycle, the less the nearer it is to clearing, with one start each', () => {
    expect(heater(20).runs(20)).toEqual({ on: 10, starts: 2 });
    expect(heater(21).runs(20)).toEqual({ on: 5, starts: 2 });
    expect(heater(18).runs(20)).toEqual({ on: 20, starts: 1 });
    // Half a minute of ten is shorter than it may run.
    expect(heater(21.8).runs(20)).toEqual({ on: 0, starts: 0 });
    expect(heater(20, { proportional: null }).runs(20)).toEqual({ on: 20, starts: 1 });
  });
  it('goes off with its sensor, in the middle of a share', () => {
    const { runs, draft, inside } = heater(18);
    draft.lastGood.set(inside.id, NOW - 29 * MIN);
    expect(runs(20).on).toBe(1);
  });
});
