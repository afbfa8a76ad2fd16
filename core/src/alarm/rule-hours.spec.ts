import fc from 'fast-check';
import { DateTime } from 'luxon';
import {
  INITIAL_THRESHOLD_STATE,
  isWithin,
  columnsOf,
  rehearse,
  stepThreshold,
  type RuleHours,
  type ThresholdEvent,
  type ThresholdRule,
  type Transition,
} from '.';

const ZONE = 'Europe/Berlin';
const at = (text: string): number => DateTime.fromISO(text, { zone: ZONE }).toMillis();
const hours = (change: Partial<RuleHours> = {}): RuleHours => ({
  ...{ zone: ZONE, weekdays: [1, 2, 3, 4, 5], from: 8 * 60, to: 18 * 60 },
  ...change,
});
const within = (of: RuleHours, ...times: string[]): boolean[] => times.map((time) => isWithin(of, at(time)));

describe('the hours of a rule', () => {
  // 27 November 2026 is a Friday.
  it('are those of its days, the begin within and the end without', () => {
    expect(within(hours(), '2026-11-27T07:59', '2026-11-27T08:00', '2026-11-27T17:59', '2026-11-27T18:00', '2026-11-28T12:00')).toEqual([
      false,
      true,
      true,
      false,
      false,
    ]);
  });
  it('over midnight belong to the day they begin on; alike they are the whole day', () => {
    const night = hours({ weekdays: [5], from: 22 * 60, to: 6 * 60 });
    expect(within(night, '2026-11-27T23:00', '2026-11-28T05:59', '2026-11-28T06:00', '2026-11-28T23:00', '2026-11-27T05:00')).toEqual([
      true,
      true,
      false,
      false,
      false,
    ]);
    const saturday = hours({ weekdays: [6], from: 0, to: 0 });
    expect(within(saturday, '2026-11-27T23:59', '2026-11-28T00:00', '2026-11-28T23:59', '2026-11-29T00:00')).toEqual([
      false,
      true,
      true,
      false,
    ]);
  });
  it('go by the clock on the wall over both changes of it', () => {
    const daily = hours({ weekdays: [1, 2, 3, 4, 5, 6, 7] });
    for (const day of ['2026-03-28', '2026-03-29', '2026-10-24', '2026-10-25'])
      expect(within(daily, `${day}T07:59`, `${day}T08:00`, `${day}T17:59`, `${day}T18:00`)).toEqual([false, true, true, false]);
    const early = hours({ weekdays: [7], from: 2 * 60, to: 4 * 60 });
    const length = (day: string): number => {
      const start = at(`${day}T00:00`);
      return Array.from({ length: 25 * 60 }, (_, minute) => start + minute * 60_000).filter((time) => isWithin(early, time)).length;
    };
    expect([length('2026-03-29'), length('2026-10-25'), length('2026-11-01')]).toEqual([60, 180, 120]);
  });
  it('are the same whatever was asked before', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 400 * 1440 }), { minLength: 1, maxLength: 30 }), (minutes) => {
        const of = hours({ from: 22 * 60, to: 6 * 60 });
        const times = minutes.map((minute) => at('2026-01-01T00:00') + minute * 60_000);
        expect(times.map((time) => isWithin(of, time))).toEqual(times.map((time) => isWithin({ ...of }, time)));
      }),
    );
  });
});

describe('a rule that is not judged', () => {
  const rule = (change: Partial<ThresholdRule> = {}): ThresholdRule => ({
    ...{
      side: 'high',
      setpoint: 30,
      deadband: 1,
      onDelayMs: 120_000,
      offDelayMs: 600_000,
      maxGapMs: null,
      confirm: 'hold',
      hours: hours(),
    },
    ...change,
  });
  const reading = (time: string, value: number): ThresholdEvent => ({ kind: 'reading', at: at(time), value, quality: 'good' });
  const tick = (time: string): ThresholdEvent => ({ kind: 'tick', at: at(time) });
  const run = (
    of: ThresholdRule,
    events: readonly ThresholdEvent[],
    suppressed: (event: ThresholdEvent) => boolean = () => false,
  ): Transition[] => {
    let state = INITIAL_THRESHOLD_STATE;
    return events.flatMap((event) => {
      const step = stepThreshold(of, state, event, suppressed(event));
      state = step.state;
      return [...step.transitions];
    });
  };

  it('trips for nothing out of its hours, and ends at once what stands when they are over', () => {
    expect(run(rule(), [reading('2026-11-27T06:00', 40), tick('2026-11-27T07:30')])).toEqual([]);
    const day = [reading('2026-11-27T17:00', 40), tick('2026-11-27T17:02'), tick('2026-11-27T17:59'), tick('2026-11-27T18:00')];
    expect(run(rule(), day)).toEqual([
      { kind: 'trip', at: at('2026-11-27T17:02'), value: 40 },
      { kind: 'clear', at: at('2026-11-27T18:00'), value: 40, why: 'hours' },
    ]);
  });

  it('as it wakes, what holds beyond the setpoint begins its whole delay then; a rule by readings waits for one', () => {
    const morning = [reading('2026-11-27T06:00', 40), tick('2026-11-27T08:00'), tick('2026-11-27T08:01:59'), tick('2026-11-27T08:02')];
    expect(run(rule(), morning)).toEqual([{ kind: 'trip', at: at('2026-11-27T08:02'), value: 40 }]);
    expect(run(rule({ confirm: 'readings', onDelayMs: 0 }), morning)).toEqual([]);
    expect(run(rule({ confirm: 'readings', onDelayMs: 0 }), [...morning, reading('2026-11-27T08:03', 40)])).toHaveLength(1);
    // What came back to normal meanwhile is nothing.
    expect(run(rule(), [...morning.slice(0, 1), reading('2026-11-27T07:00', 20), ...morning.slice(1)])).toEqual([]);
  });

  it('a delay that ran as its hours ended does not go on the next day', () => {
    const events = [reading('2026-11-26T17:59', 40), tick('2026-11-26T18:00'), tick('2026-11-27T08:00'), tick('2026-11-27T08:01')];
    expect(run(rule(), events)).toEqual([]);
  });

  it('the same while something suppresses it, with that as its reason', () => {
    const always = rule({ hours: undefined } as Partial<ThresholdRule>);
    const events = [reading('2026-11-27T01:00', 40), tick('2026-11-27T01:02'), tick('2026-11-27T01:05'), tick('2026-11-27T01:10')];
    expect(run(always, events, ({ at: time }) => time === at('2026-11-27T01:05'))).toEqual([
      { kind: 'trip', at: at('2026-11-27T01:02'), value: 40 },
      { kind: 'clear', at: at('2026-11-27T01:05'), value: 40, why: 'suppressed' },
    ]);
  });

  it('is rehearsed as it is judged live', () => {
    const samples = Array.from({ length: 7 * 24 * 12 }, (_, i) => ({
      at: at('2026-11-23T00:00') + i * 300_000,
      value: 40,
      quality: 'good' as const,
    }));
    const excursions = rehearse(rule({ confirm: 'readings', onDelayMs: 0 }), columnsOf(samples), at('2026-11-30T00:00'));
    // Monday to Friday, at eight each; the first reading out of its hours ends it.
    expect(excursions.map(({ from }) => from)).toEqual([23, 24, 25, 26, 27].map((day) => at(`2026-11-${day}T08:00`)));
    expect(excursions.map(({ to }) => to)).toEqual([23, 24, 25, 26, 27].map((day) => at(`2026-11-${day}T18:00`)));
  });
});
