import { departureOf } from './habit';
import { clears, violates, type ThresholdRule } from './threshold';

/** Which of a rule's points a reading is of: its own, the one that it is held against, or that of its second condition. */
export type ReadingOf = 'own' | 'beside' | 'also';

/** What was read last, and whatever else of the past a rule needs to judge by. */
export interface JudgedMemory {
  readonly own?: readonly [at: number, value: number];
  readonly beside?: readonly [at: number, value: number];
  readonly also?: readonly [at: number, value: number];
  /** Of a rate: readings that reach back as long as it looks, the oldest first. */
  readonly samples?: readonly (readonly [at: number, value: number])[];
  /** Of a count: when it came. */
  readonly times?: readonly number[];
  /** Is the rule's own condition met (the first of two)? */
  readonly met?: boolean;
  /** What two conditions came to last. */
  readonly both?: boolean;
  /** What it is to be told by: the value as it was read, or as it was made. */
  readonly shown?: number;
}

/** Readings that a rate keeps of the time that it looks back over, and times that a count does: more of them are told apart by nobody. */
const MOST_SAMPLES = 120;
const MOST_TIMES = 1000;

/** A judged value at a time, and what people are told of it: as it was read or made, not in the shape that it is judged in. */
export interface JudgedAt {
  readonly at: number;
  readonly value: number;
  readonly shown: number | undefined;
}
export interface JudgedStep {
  readonly memory: JudgedMemory;
  /** What the state machine is told, in order of time. */
  readonly judged: readonly JudgedAt[];
}

const tidy = (value: number): number => Number(value.toPrecision(12));
const fresh = (last: readonly [number, number] | undefined, at: number, gapMs: number | null): number | null =>
  last === undefined || (gapMs !== null && Math.abs(at - last[0]) > gapMs) ? null : last[1];

/** Takes a good reading into what a rule remembers, and says what it makes of it. `listeningSince` as for `takeTime`. */
export function takeReading(
  rule: ThresholdRule,
  memory: JudgedMemory,
  of: ReadingOf,
  { at, value }: { readonly at: number; readonly value: number },
  listeningSince: number,
): JudgedStep {
  // Whatever speaks: what time alone came to before it comes first, and knows nothing of it.
  const passed = byTime(rule, memory, (time) => time < at, listeningSince);
  const before = told(rule, passed.memory, passed.judged);
  const { memory: next, value: made } =
    of === 'own' ? ownReading(rule, before.memory, at, value) : otherReading(rule, { ...before.memory, [of]: [at, value] }, of, at);
  if (made === null && of !== 'also') return { memory: next, judged: before.judged };
  const last = told(rule, next, [{ at, value: made }]);
  return { memory: last.memory, judged: [...before.judged, ...last.judged] };
}

/**
 * Lets time pass up to `until`: what a count or a silence comes to by time alone, and what two conditions have come to meanwhile. Before
 * `listeningSince` nobody listened, and nobody was silent.
 */
export function takeTime(rule: ThresholdRule, memory: JudgedMemory, until: number, listeningSince: number): JudgedStep {
  const passed = byTime(rule, memory, (time) => time <= until, listeningSince);
  const { memory: next, judged } = told(rule, passed.memory, passed.judged);
  if (!rule.also) return { memory: next, judged };
  // Two contacts may have spoken in another order than they were heard in.
  const both = bothAt(rule, next, until);
  if (both === null || both === next.both) return { memory: next, judged };
  return { memory: { ...next, both }, judged: [...judged, { at: until, value: both ? 1 : 0, shown: next.shown }] };
}

/** What was made at a time; `null`: nothing that is judged. */
interface MadeAt {
  readonly at: number;
  readonly value: number | null;
}
interface Made {
  readonly memory: JudgedMemory;
  /** `null`: it says nothing of what is judged. */
  readonly value: number | null;
}

const otherReading = (rule: ThresholdRule, memory: JudgedMemory, of: 'beside' | 'also', at: number): Made => ({
  memory,
  value: of === 'beside' ? differenceOf(rule, memory, at) : null,
});

function ownReading(rule: ThresholdRule, memory: JudgedMemory, at: number, value: number): Made {
  const { judges } = rule;
  const next: JudgedMemory = { ...memory, own: [at, value] };
  switch (judges?.kind) {
    case 'rate': {
      const samples = sampled(memory.samples ?? [], at, value, judges.overSeconds * 1000, rule.maxGapMs);
      const then = valueAt(samples, at - judges.overSeconds * 1000);
      return { memory: { ...next, samples }, value: then === null ? null : tidy(value - then) };
    }
    case 'count': {
      const came = value >= judges.level && memory.own !== undefined && memory.own[1] < judges.level;
      const kept = (memory.times ?? []).filter((time) => time > at - judges.withinSeconds * 1000);
      const times = (came ? [...kept, at] : kept).slice(-MOST_TIMES);
      return { memory: { ...next, times }, value: times.length };
    }
    case 'silence':
      return { memory: next, value: 0 };
    case 'difference':
      return { memory: next, value: differenceOf(rule, next, at) };
    case 'usual':
      return { memory: next, value: rule.habit ? departureOf(rule.habit, at, value) : null };
    case 'band':
    case 'value':
    case undefined:
      return { memory: next, value };
  }
}

/** Readings of the last so long and the one before them, so that there is a value at its very beginning; none across a gap. */
function sampled(
  samples: readonly (readonly [number, number])[],
  at: number,
  value: number,
  overMs: number,
  gapMs: number | null,
): (readonly [number, number])[] {
  const newest = samples.at(-1);
  if (newest && gapMs !== null && at - newest[0] > gapMs) return [[at, value]];
  const first = samples.findLastIndex(([time]) => time <= at - overMs);
  const kept = samples.slice(Math.max(0, first));
  const [one, two] = [kept.at(-2), kept.at(-1)];
  // The newest is always there; of what lies closer together than can be told apart the later stands for both.
  const close = one !== undefined && two !== undefined && two[0] - one[0] < overMs / MOST_SAMPLES;
  return [...(close ? kept.slice(0, -1) : kept), [at, value]];
}

/** The value at a time, straight between two readings; `null`: it lies before the first of them. */
function valueAt(samples: readonly (readonly [number, number])[], at: number): number | null {
  const after = samples.findIndex(([time]) => time >= at);
  const [next, before] = [samples[after], samples[after - 1]];
  if (next === undefined) return null;
  if (next[0] === at) return next[1];
  if (before === undefined) return null;
  return before[1] + ((next[1] - before[1]) * (at - before[0])) / (next[0] - before[0]);
}

function differenceOf(rule: ThresholdRule, { own, beside }: JudgedMemory, at: number): number | null {
  const [value, other] = [fresh(own, at, rule.maxGapMs), fresh(beside, at, rule.besideGapMs ?? null)];
  return value === null || other === null ? null : tidy(value - other);
}

/** Counts go down and silences come about without a reading. */
function byTime(
  { judges, setpoint }: ThresholdRule,
  memory: JudgedMemory,
  isOver: (time: number) => boolean,
  listeningSince: number,
): { memory: JudgedMemory; judged: readonly MadeAt[] } {
  if (judges?.kind === 'count') {
    const times = memory.times ?? [];
    const over = times.map((time) => time + judges.withinSeconds * 1000).filter(isOver);
    if (over.length === 0) return { memory, judged: [] };
    return {
      memory: { ...memory, times: times.slice(over.length) },
      judged: over.map((at, i) => ({ at, value: times.length - i - 1 })),
    };
  }
  if (judges?.kind === 'silence' && memory.own !== undefined) {
    const due = Math.max(memory.own[0], listeningSince) + setpoint * 1000;
    return isOver(due) && memory.shown !== setpoint
      ? { memory: { ...memory, shown: setpoint }, judged: [{ at: due, value: setpoint }] }
      : { memory, judged: [] };
  }
  return { memory, judged: [] };
}

/** What the state machine is told of made values, in order: themselves, reflected into one side, or whether both conditions are met. */
function told(rule: ThresholdRule, memory: JudgedMemory, made: readonly MadeAt[]): JudgedStep {
  let next = memory;
  const judged: JudgedAt[] = [];
  for (const { at, value } of made) {
    if (value !== null) {
      next = { ...next, shown: value };
      const plain = reflected(rule, value);
      if (!rule.also) {
        judged.push({ at, value: plain, shown: value });
        continue;
      }
      next = { ...next, met: isMet(rule, next.met ?? false, plain) };
    }
    const both = bothAt(rule, next, at);
    if (both === null) continue;
    next = { ...next, both };
    judged.push({ at, value: both ? 1 : 0, shown: next.shown });
  }
  return { memory: next, judged };
}

/** Are both conditions met, or either, at a time? `null`: what is known and fresh does not say. */
function bothAt(rule: ThresholdRule, { own, also: read, met }: JudgedMemory, at: number): boolean | null {
  const { also, judges } = rule;
  if (!also) return null;
  // A count and a silence are known without a fresh reading.
  const byTimeToo = judges?.kind === 'silence' || judges?.kind === 'count';
  const known = byTimeToo || fresh(own, at, rule.maxGapMs) !== null ? (met ?? metBy(rule, own)) : undefined;
  const other = fresh(read, at, also.maxGapMs);
  const second = other === null ? undefined : violates(also, other);
  const decides = also.join === 'or';
  if (known === decides || second === decides) return decides;
  return known === undefined || second === undefined ? null : !decides;
}

/** Of a rule that has begun anew: what it read last says whether its own condition is met. `undefined`: it takes more than one reading to say. */
function metBy(rule: ThresholdRule, own: JudgedMemory['own']): boolean | undefined {
  const isValue = rule.judges === undefined || rule.judges.kind === 'value' || rule.judges.kind === 'band';
  return isValue && own !== undefined ? violates(rule, reflected(rule, own[1])) : undefined;
}

/** Outside of a band is beyond its upper end: what lies below its middle is put as far above. */
function reflected({ judges, setpoint }: ThresholdRule, value: number): number {
  if (judges?.kind !== 'band') return value;
  return value < (judges.low + setpoint) / 2 ? tidy(judges.low + setpoint - value) : value;
}

/** Its own condition, with its deadband: met at the setpoint, and no longer at the clear level. */
const isMet = (rule: ThresholdRule, met: boolean, value: number): boolean => violates(rule, value) || (met && !clears(rule, value));

/** The limits that a rule draws on the scale of its point: a band has two; what is no value of it, none. */
export function limitsOf<Rule extends Pick<ThresholdRule, 'side' | 'setpoint' | 'judges'> & { readonly clearLevel: number }>(
  rule: Rule,
): Rule[] {
  const { judges, setpoint, clearLevel } = rule;
  if (judges === undefined || judges.kind === 'value') return [rule];
  if (judges.kind !== 'band') return [];
  return [rule, { ...rule, side: 'low', setpoint: judges.low, clearLevel: tidy(judges.low + setpoint - clearLevel) }];
}

/**
 * What was read, without what a rule has made of it: for one that begins anew, by the same or other figures. What came from `countedUntil` (ms) on is
 * counted no more.
 */
export function readBefore({ own, beside, also, samples, times }: JudgedMemory, countedUntil = Infinity): JudgedMemory {
  return {
    ...(own && { own }),
    ...(beside && { beside }),
    ...(also && { also }),
    ...(samples && { samples }),
    ...(times && { times: times.filter((at) => at < countedUntil) }),
  };
}

/** The same after the clock that its times were taken by was set, `byMs` forward or (negative) back. */
export function shiftMemory({ own, beside, also, samples, times, ...rest }: JudgedMemory, byMs: number): JudgedMemory {
  const moved = ([at, value]: readonly [at: number, value: number]): readonly [at: number, value: number] => [at + byMs, value];
  return {
    ...rest,
    ...(own && { own: moved(own) }),
    ...(beside && { beside: moved(beside) }),
    ...(also && { also: moved(also) }),
    ...(samples && { samples: samples.map(moved) }),
    ...(times && { times: times.map((at) => at + byMs) }),
  };
}

/** The rule that the state machine runs: of two conditions it is only met or not. */
export function machineRule(rule: ThresholdRule): ThresholdRule {
  if (!rule.also) return rule;
  return { ...rule, side: 'high', setpoint: 1, deadband: 1, clearLevel: 0 };
}
