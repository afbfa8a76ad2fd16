import { isWithin, sameUntil, type Columns, type Excursion, type RuleHours, type ThresholdRule } from '../alarm';
import { midnightsOf } from '../time';
import { poweredUp, stepOutput, type OutputGuards, type OutputState } from './output';
import { isWantedInCycle, shareOf, type Proportion } from './proportion';

/** What decides how an output does what a rule wants of it. Times in ms. */
export interface RehearsedOutput {
  /** `dailyCapMs`: the longest time on within a site day. */
  readonly guards: OutputGuards;
  /** Times within a site day that it may be switched on; `null`: any. */
  readonly mostStarts: number | null;
  /** When rules may switch it on; `null`: always. */
  readonly hours: RuleHours | null;
  /** Of the site: its days begin at midnight there. */
  readonly zone: string;
  /** Left out where it runs for as long as its rule stands. */
  readonly share: Proportion | null;
}

/** What an output would have done over a record. */
export interface OutputOverRecord {
  readonly runs: readonly Excursion[];
  readonly starts: number;
  readonly onMs: number;
  /** Wanted, and kept off by its guards, hours or the limits of its day; a pause of a cycle is none of that. */
  readonly keptOffMs: number;
}

/** Edges of stretches that do not overlap, in order of time: what the rule wants at any time, and until when. */
class Wanted {
  private next = 0;
  constructor(private readonly stretches: readonly Excursion[]) {}

  /** The stretch that a time lies in, and when that changes; asked in order of time. */
  at(time: number): { readonly stretch: Excursion | null; readonly until: number } {
    while (this.next < this.stretches.length && (this.stretches[this.next]?.to ?? Infinity) <= time) this.next++;
    const stretch = this.stretches[this.next];
    if (!stretch) return { stretch: null, until: Infinity };
    return stretch.from <= time ? { stretch, until: stretch.to ?? Infinity } : { stretch: null, until: stretch.from };
  }
}

/**
 * Runs an output over a record, from one moment at which something can change to the next: `wanted` is when its rule stood in alarm, as `rehearse`
 * gives it. It was off and at rest as the record began. What it would have changed of what was read is not in it.
 */
export function outputOver(
  rule: Pick<ThresholdRule, 'side' | 'setpoint' | 'deadband' | 'clearLevel'>,
  wanted: readonly Excursion[],
  columns: Columns,
  { from, until }: { readonly from: number; readonly until: number },
  output: RehearsedOutput,
): OutputOverRecord {
  const { guards, mostStarts, hours, share } = output;
  const counts = mostStarts !== null || guards.dailyCapMs !== null;
  // Days cost something to tell apart, and most outputs may do in one what they like.
  const midnight = counts ? midnightsOf(output.zone) : () => 0;
  const stretches = new Wanted(wanted);
  const values = share && valuesOf(columns);
  const clear = rule.clearLevel ?? (rule.side === 'high' ? rule.setpoint - rule.deadband : rule.setpoint + rule.deadband);
  const runs: { from: number; to: number | null }[] = [];
  let state: OutputState = poweredUp(from - guards.minOffMs, midnight(from));
  let [startsToday, onMs, keptOffMs] = [0, 0, 0];
  for (let at = from; at < until;) {
    const day = midnight(at);
    if (day !== state.day) startsToday = 0;
    const { stretch, until: stretchEnds } = stretches.at(at);
    const spent = mostStarts !== null && !state.on && startsToday >= mostStarts;
    const allowed = hours === null || isWithin(hours, at);
    const reading = stretch && values ? values(at) : null;
    const part = share && reading ? shareOf(share, rule.side, clear, reading.value) : null;
    const told = runs.length === 0 ? null : { on: state.on, at: state.changedAt };
    const inShare =
      !stretch || !share || (part !== null && isWantedInCycle(part, share.cycleSeconds * 1000, guards, stretch.from, told, at));
    const before = state;
    state = stepOutput(guards, state, {
      ...{ at, day, demand: stretch !== null && allowed && !spent && inShare, commandAgeMs: 0, leaseMs: Infinity },
    });
    if (state.on && !before.on) {
      startsToday++;
      runs.push({ from: at, to: null });
    } else if (before.on && !state.on) {
      const last = runs.at(-1);
      if (last) last.to = at;
    }
    const next = Math.min(
      ...[until, stretchEnds, hours && stretch ? sameUntil(hours, at) : Infinity],
      ...[nextOfGuards(guards, state, at), counts ? dayAfter(midnight, at) : Infinity],
      ...[reading?.until ?? Infinity, stretch && share && part !== null ? nextOfCycle(share, part, guards, stretch.from, at) : Infinity],
    );
    if (state.on) onMs += next - at;
    else if (stretch && inShare) keptOffMs += next - at;
    at = next;
  }
  return { runs, starts: runs.length, onMs, keptOffMs };
}

/** When a guard may change what it does next, after a time. */
function nextOfGuards(guards: OutputGuards, { on, changedAt, restUntil, usedMs, countedAt }: OutputState, at: number): number {
  const moments = on
    ? [
        changedAt + guards.minOnMs,
        guards.maxRunMs === null ? Infinity : changedAt + guards.maxRunMs,
        guards.dailyCapMs === null ? Infinity : countedAt + guards.dailyCapMs - usedMs,
      ]
    : [changedAt + guards.minOffMs, restUntil ?? Infinity];
  return Math.min(...moments.filter((moment) => moment > at));
}

/** The next midnight; a day is no longer than 25 hours, and no shorter than 23. */
function dayAfter(midnight: (at: number) => number, at: number): number {
  const today = midnight(at);
  return midnight(today + 26 * 3_600_000);
}

/** What was read last at a time, and when it is read next; asked in order of time. */
function valuesOf({ at: times, value, quality }: Columns): (at: number) => { value: number; until: number } | null {
  let [place, last] = [0, null as number | null];
  return (at) => {
    while (place < times.length && (times[place] as number) <= at) {
      if (quality[place] !== BAD) last = value[place] as number;
      place++;
    }
    return last === null ? null : { value: last, until: times[place] ?? Infinity };
  };
}
/** As `Columns` have it. */
const BAD = 2;

/** A cycle around a time: when it began and ends, and when its part is over, ms. */
function cycleAt({ cycleSeconds }: Proportion, share: number, since: number, at: number): { ends: number; partEnds: number } {
  const cycleMs = cycleSeconds * 1000;
  const begun = at - ((at - since) % cycleMs);
  // Whole milliseconds: a part that ends between two is over at the later one.
  return { ends: begun + cycleMs, partEnds: Math.ceil(begun + share * cycleMs) };
}

/** When it may be told something else by its cycle, after a time. */
function nextOfCycle(share: Proportion, part: number, { minOnMs }: OutputGuards, since: number, at: number): number {
  const { ends, partEnds } = cycleAt(share, part, since, at);
  const least = ends - share.cycleSeconds * 1000 + minOnMs;
  return Math.min(ends, ...[partEnds, least].filter((moment) => moment > at));
}
