import { BAD_PLACE, clearsAt, isWithin, sameUntil, type Columns, type Excursion, type RuleHours, type ThresholdRule } from '../alarm';
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
  const midnight = counts ? midnightsAt(output.zone) : () => 0;
  const stretches = new Wanted(wanted);
  const course = new Course(columns);
  const clear = clearsAt(rule);
  const runs: { from: number; to: number | null }[] = [];
  let state: OutputState = poweredUp(from - guards.minOffMs, midnight(from));
  let [startsToday, onMs, keptOffMs] = [0, 0, 0];
  for (let at = from; at < until;) {
    const day = midnight(at);
    if (day !== state.day) startsToday = 0;
    const { stretch, until: stretchEnds } = stretches.at(at);
    const spent = mostStarts !== null && !state.on && startsToday >= mostStarts;
    const allowed = hours === null || isWithin(hours, at);
    const cycle = stretch &&
      share && { share, guards, since: stretch.from, partOf: (value: number) => shareOf(share, rule.side, clear, value) };
    const told = (): Told => (runs.length === 0 ? null : { on: state.on, at: state.changedAt });
    const inShare = !cycle || isInItsPart(cycle, course.at(at), told(), at);
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
    const other = Math.min(
      ...[until, stretchEnds, hours && stretch ? sameUntil(hours, at) : Infinity],
      ...[nextOfGuards(guards, state, at), counts ? dayAfter(midnight, at) : Infinity],
    );
    const next = cycle ? nextOfPart(cycle, course, told(), inShare, at, other) : other;
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

/** Midnights of the zone that was asked for last: a record is run over again with every step of a drag. */
let lastZone: { readonly zone: string; readonly midnight: (at: number) => number } | null = null;
function midnightsAt(zone: string): (at: number) => number {
  if (lastZone?.zone !== zone) lastZone = { zone, midnight: midnightsOf(zone) };
  return lastZone.midnight;
}

/** The next midnight; a day is no longer than 25 hours, and no shorter than 23. */
function dayAfter(midnight: (at: number) => number, at: number): number {
  const today = midnight(at);
  return midnight(today + 26 * 3_600_000);
}

/** A record as time goes through it: what was read last, and when it is read next. */
class Course {
  private place = 0;
  private last: number | null = null;
  constructor(private readonly columns: Columns) {}

  /** `null`: nothing good was read yet. Asked in order of time. */
  at(time: number): number | null {
    const { at: times, value, quality } = this.columns;
    for (; this.place < times.length && (times[this.place] as number) <= time; this.place++)
      if (quality[this.place] !== BAD_PLACE) this.last = value[this.place] as number;
    return this.last;
  }
  get next(): number {
    return this.columns.at[this.place] ?? Infinity;
  }
}
/** Cycles of an output in proportion, counted from `since`, ms; `partOf` gives the part of one at a value, 0…1. */
interface Cycle {
  readonly share: Proportion;
  readonly guards: OutputGuards;
  readonly since: number;
  readonly partOf: (value: number) => number;
}
/** What it did last; `null`: nothing yet. */
type Told = { readonly on: boolean; readonly at: number } | null;

const isInItsPart = ({ share, guards, since, partOf }: Cycle, value: number | null, told: Told, at: number): boolean =>
  value !== null && isWantedInCycle(partOf(value), share.cycleSeconds * 1000, guards, since, told, at);

/** When its cycle may want something else of it, after a time and before `other`: most readings change nothing of that. */
function nextOfPart(cycle: Cycle, course: Course, told: Told, inShare: boolean, at: number, other: number): number {
  for (let now = at; ; now = course.next) {
    const value = course.at(now);
    if (now > at && isInItsPart(cycle, value, told, now) !== inShare) return now;
    const ends = value === null ? Infinity : nextOfCycle(cycle, cycle.partOf(value), now);
    if (course.next >= Math.min(ends, other)) return Math.min(ends, other);
  }
}

/** When a cycle ends, its part is over, or the least time that it may be on, whichever is next, ms. */
function nextOfCycle({ share, guards, since }: Cycle, part: number, at: number): number {
  const cycleMs = share.cycleSeconds * 1000;
  const begun = at - ((at - since) % cycleMs);
  // Whole milliseconds: a part that ends between two is over at the later one.
  const partEnds = Math.ceil(begun + part * cycleMs);
  const least = begun + guards.minOnMs;
  return Math.min(begun + cycleMs, partEnds > at ? partEnds : Infinity, least > at ? least : Infinity);
}
