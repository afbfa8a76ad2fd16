import { Registry } from '../model/registry';
import type { NodeEntry, PointEntry } from '../model/entries';
import { emptyEngineState } from './draft';
import { nodeKey, thresholdKey, type Effect } from './effects';
import { watchOutputs } from './watch-outputs';

const NOW = Date.UTC(2026, 10, 27, 12);
const MIN = 60_000;

/** A bed that is too dry, its pump told on by a rule that expects 2 % within 4 min. */
function house(rule: object = {}, reportSeconds = 30) {
  const node = { id: 1, name: 'bed', title: 'Bed', reportSeconds, connected: true, keyDigest: Buffer.from('a') };
  const whole = { ...node, points: new Map() } as unknown as NodeEntry;
  const pointOf = (id: number, name: string, output: object | null): PointEntry => {
    const body = {
      name,
      label: name,
      kind: output ? 'switched' : 'measured',
      unit: '%',
      decimals: 0,
      confirm: 'readings',
      derived: null,
      raw: null,
      output,
    };
    const point = {
      id,
      node: whole,
      name,
      body,
      calibrations: [],
      heldUntil: null,
      winners: [],
      losers: [],
      inputs: [],
      inputGone: false,
    } as unknown as PointEntry;
    whole.points.set(name, point);
    return point;
  };
  const [soil, pump] = [pointOf(2, 'Soil', null), pointOf(3, 'Pump', { leaseSeconds: 60 })];
  const registry = new Registry();
  registry.putNodes([whole]);
  const usual = { side: 'low', setpoint: 25, deadband: 5, clearLevel: 30, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'advisory' };
  const made = {
    ...usual,
    confirm: 'readings',
    consequences: ['control'],
    act: 'on',
    output: pump.id,
    expects: { by: 2, withinSeconds: 240 },
    ...rule,
  };
  registry.putThreshold(9, soil.id, 1, made as unknown as Parameters<Registry['putThreshold']>[3]);
  const state = emptyEngineState();
  state.alerts.set(thresholdKey(9), { id: 5, value: 24, trippedAt: NOW, journal: true } as never);
  state.relays.set(pump.id, { point: pump.id, state: true, since: NOW } as never);
  const reads = (value: number, at: number, quality = 'good'): void =>
    void state.newest.set(soil.id, { value, at, quality, reason: null } as never);
  const told = (on: boolean, answered: boolean): void =>
    void state.commands.set(pump.id, { on, at: NOW, since: NOW, id: 'a', answeredAt: answered ? NOW : null });
  const watched = (at: number): string[] =>
    watchOutputs(registry, state, at).map((effect: Effect) =>
      effect.kind === 'open-alert'
        ? `${effect.alert.kind}, ${effect.alert.severity}: ${effect.alert.text}`
        : effect.kind === 'close-alert'
          ? `over: ${effect.why}`
          : effect.kind,
    );
  const open = (kind: 'no-effect' | 'no-read-back' | 'guard-ended'): void => void state.alerts.set(nodeKey(kind, whole, pump), {} as never);
  return { state, reads, told, watched, open, pump, whole };
}

describe('a control that is expected to move something', () => {
  it('is an alert with its figures once its time is over, and not a second time', () => {
    const { reads, watched, open } = house();
    reads(24.1, NOW + 4 * MIN);
    expect(watched(NOW + 4 * MIN - 1)).toEqual([]);
    const [text] = watched(NOW + 4 * MIN);
    expect(text).toMatch(/^no-effect, warning: On for 4 min, moved 0\.1 %, expected at least 2\.0 %\. Look whether it runs/);
    open('no-effect');
    expect(watched(NOW + 5 * MIN)).toEqual([]);
  });
  it('is over once the value has moved enough, or the rule has cleared', () => {
    const { state, reads, watched, open } = house();
    open('no-effect');
    reads(26.2, NOW + 6 * MIN);
    expect(watched(NOW + 6 * MIN)).toEqual(['over: it answers']);
    reads(24, NOW + 7 * MIN);
    state.alerts.delete(thresholdKey(9));
    expect(watched(NOW + 7 * MIN)).toEqual(['over: cleared']);
  });
  it('is not judged while its output is not read back, by bad readings, or by those from before it ran', () => {
    const { state, reads, watched, pump } = house();
    reads(24, NOW - 1);
    expect(watched(NOW + 9 * MIN)).toEqual([]);
    reads(24, NOW + 5 * MIN, 'bad');
    expect(watched(NOW + 9 * MIN)).toEqual([]);
    reads(24, NOW + 5 * MIN);
    state.relays.set(pump.id, { point: pump.id, state: null, since: NOW } as never);
    expect(watched(NOW + 9 * MIN)).toEqual([]);
    // Held off by a guard until a minute ago, it has had a minute.
    state.relays.set(pump.id, { point: pump.id, state: true, since: NOW + 8 * MIN } as never);
    reads(24, NOW + 9 * MIN);
    expect(watched(NOW + 9 * MIN)).toEqual([]);
  });
  it('says nothing where nobody has said what it is to move, and is critical where its rule is', () => {
    const none = house({ expects: null });
    none.reads(24, NOW + 9 * MIN);
    expect(none.watched(NOW + 9 * MIN)).toEqual([]);
    const grave = house({ severity: 'critical' });
    grave.reads(24, NOW + 9 * MIN);
    expect(grave.watched(NOW + 9 * MIN)[0]).toMatch(/^no-effect, critical/);
  });
});

describe('a control that a guard has ended', () => {
  const rests = { point: 3, state: false, since: NOW, reason: 'max-run', result: 'ended' };
  const asked = (h: ReturnType<typeof house>): void =>
    void h.state.demands.set(h.pump.id, [{ source: 'threshold', threshold: 9 } as never]);
  it('is an alert while its rule still asks for it, and over once it runs or the rule has cleared', () => {
    const h = house({ expects: null });
    asked(h);
    expect(h.watched(NOW + MIN)).toEqual([]);
    h.state.relays.set(h.pump.id, rests as never);
    const [text] = h.watched(NOW + MIN);
    expect(text).toMatch(/^guard-ended, warning: Its longest run is over, and it rests; soil of Bed still asks for it\./);
    h.open('guard-ended');
    expect(h.watched(NOW + 2 * MIN)).toEqual([]);
    h.state.relays.set(h.pump.id, { ...rests, state: true, reason: 'demand' } as never);
    expect(h.watched(NOW + 3 * MIN)).toEqual(['over: cleared']);
    h.state.relays.set(h.pump.id, rests as never);
    h.state.demands.clear();
    expect(h.watched(NOW + 3 * MIN)).toEqual(['over: cleared']);
  });
  it('is none where its rule is an alert already, nor where it waits for its minimum time off', () => {
    const told = house({ expects: null, consequences: ['alert', 'control'] });
    asked(told);
    told.state.relays.set(told.pump.id, rests as never);
    expect(told.watched(NOW + MIN)).toEqual([]);
    const waits = house({ expects: null });
    asked(waits);
    waits.state.relays.set(waits.pump.id, { ...rests, reason: 'min-off' } as never);
    expect(waits.watched(NOW + MIN)).toEqual([]);
  });
});

describe('an output that does not answer', () => {
  it('is an alert after a quarter of a minute, while its link stands; over as soon as it reads back', () => {
    const { told, watched, open } = house({ expects: null });
    told(true, false);
    expect(watched(NOW + 15_000)).toEqual([]);
    expect(watched(NOW + 15_001)[0]).toMatch(/^no-read-back, warning: Bed was told on and has not answered, although its link stands/);
    open('no-read-back');
    expect(watched(NOW + 20_000)).toEqual([]);
    told(true, true);
    expect(watched(NOW + 20_000)).toEqual(['over: reads back']);
  });
  it('is none while its node is out of reach, nor while one that sleeps has not woken', () => {
    const away = house({ expects: null });
    away.told(false, false);
    away.whole.connected = false;
    expect(away.watched(NOW + 60 * MIN)).toEqual([]);
    const sleeper = house({ expects: null }, 900);
    sleeper.told(false, false);
    expect(sleeper.watched(NOW + 29 * MIN)).toEqual([]);
    expect(sleeper.watched(NOW + 31 * MIN)).toHaveLength(1);
  });
});
