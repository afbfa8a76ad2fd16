/** Width of the stretches that are kept of every point's record, ms. Days are the site's own and differ in length. */
export const LEVELS = { minute: 60_000, quarter: 900_000, day: 86_400_000 } as const;
export type Level = keyof typeof LEVELS;
/** Points that report faster than this have minutes kept as well, s. */
export const MINUTES_BELOW_SECONDS = 20;

/** What is kept of a stretch of a record. `count` are readings that are used (good and suspect); low to last speak of those. */
export interface Bucket {
  /** Where the stretch begins, ms. */
  readonly at: number;
  readonly low: number;
  readonly high: number;
  readonly total: number;
  readonly count: number;
  /** Of those: suspect. */
  readonly suspect: number;
  /** Beside them: bad, and of all: late. */
  readonly bad: number;
  readonly late: number;
  readonly first: number;
  readonly firstAt: number;
  readonly last: number;
  readonly lastAt: number;
}

/** One reading as a bucket of its own; `bad` counts beside and says nothing of the value. */
export function bucketOf(reading: { at: number; value: number; quality: 'good' | 'suspect' | 'bad'; late: boolean }): Bucket {
  const { at, value, quality, late } = reading;
  const used = quality === 'bad' ? 0 : 1;
  return {
    at,
    low: used ? value : Infinity,
    high: used ? value : -Infinity,
    total: used ? value : 0,
    count: used,
    suspect: quality === 'suspect' ? 1 : 0,
    bad: 1 - used,
    late: late ? 1 : 0,
    first: used ? value : NaN,
    firstAt: used ? at : Infinity,
    last: used ? value : NaN,
    lastAt: used ? at : -Infinity,
  };
}

/** Two stretches as one, whatever their order; it begins where the earlier one does. */
export function merged(a: Bucket, b: Bucket): Bucket {
  const [first, last] = [a.firstAt <= b.firstAt ? a : b, a.lastAt >= b.lastAt ? a : b];
  return {
    at: Math.min(a.at, b.at),
    low: Math.min(a.low, b.low),
    high: Math.max(a.high, b.high),
    total: a.total + b.total,
    count: a.count + b.count,
    suspect: a.suspect + b.suspect,
    bad: a.bad + b.bad,
    late: a.late + b.late,
    first: first.first,
    firstAt: first.firstAt,
    last: last.last,
    lastAt: last.lastAt,
  };
}

/** Buckets in order of time joined into stretches of `width` ms, counted from `origin`. */
export function rebinned(buckets: readonly Bucket[], origin: number, width: number): Bucket[] {
  const bins = new Map<number, Bucket>();
  for (const bucket of buckets) {
    const at = origin + Math.floor((bucket.at - origin) / width) * width;
    const before = bins.get(at);
    bins.set(at, { ...(before ? merged(before, bucket) : bucket), at });
  }
  return [...bins.values()].sort((a, b) => a.at - b.at);
}

/** A level is used where at least this share of the stretches wanted is filled by it. */
const FILLED = 1 / 5;

/**
 * The level from which a span (ms) is read into at most `wanted` stretches: the coarsest that still fills a fifth of them; `null`: the
 * readings themselves, the span is short.
 */
export function levelFor(span: number, wanted: number, reportSeconds: number): Level | null {
  const fills = (level: Level): boolean => span / LEVELS[level] >= wanted * FILLED;
  if (fills('day')) return 'day';
  if (fills('quarter')) return 'quarter';
  return reportSeconds < MINUTES_BELOW_SECONDS && fills('minute') ? 'minute' : null;
}

/** Figures of a span from its buckets. */
export interface SpanFigures {
  readonly count: number;
  readonly suspect: number;
  readonly bad: number;
  readonly late: number;
  readonly mean: number;
  readonly low: Bucket;
  readonly high: Bucket;
  /** Of the means of the stretches, each weighed by its readings: 5 %, half, 95 %. */
  readonly p05: number;
  readonly median: number;
  readonly p95: number;
}

/** Figures of a span; `null` where nothing in it is used. */
export function figuresOf(buckets: readonly Bucket[]): SpanFigures | null {
  const used = buckets.filter(({ count }) => count > 0);
  const [some, ...others] = used;
  if (!some) return null;
  const all = others.reduce(merged, some);
  const sum = (what: 'bad' | 'late'): number => buckets.reduce((total, bucket) => total + bucket[what], 0);
  const means = used.map(({ total, count }) => ({ mean: total / count, count })).sort((a, b) => a.mean - b.mean);
  const quantile = (share: number): number => {
    let passed = 0;
    for (const { mean, count } of means) {
      passed += count;
      if (passed >= share * all.count) return mean;
    }
    return means.at(-1)?.mean ?? NaN;
  };
  return {
    count: all.count,
    suspect: all.suspect,
    bad: sum('bad'),
    late: sum('late'),
    mean: all.total / all.count,
    low: used.reduce((a, b) => (b.low < a.low ? b : a)),
    high: used.reduce((a, b) => (b.high > a.high ? b : a)),
    p05: quantile(0.05),
    median: quantile(0.5),
    p95: quantile(0.95),
  };
}

/** Stretches with nothing in them for longer than `quiet` ms, within `[from, to]`. `width`: of the buckets, ms. */
export function gapsOf(
  buckets: readonly Bucket[],
  { from, to, width, quiet }: { from: number; to: number; width: number; quiet: number },
): { from: number; to: number }[] {
  const gaps: { from: number; to: number }[] = [];
  let last = from;
  for (const bucket of buckets) {
    if (bucket.count + bucket.bad === 0) continue;
    const begins = Number.isFinite(bucket.firstAt) ? bucket.firstAt : bucket.at;
    if (begins - last > quiet) gaps.push({ from: last, to: begins });
    last = Math.max(last, Number.isFinite(bucket.lastAt) ? bucket.lastAt : Math.min(bucket.at + width, to));
  }
  if (to - last > quiet) gaps.push({ from: last, to });
  return gaps;
}

/** So many reports may be missing before it is a gap: common practice. */
const GAP_REPORTS = 3;

/**
 * Where nothing was recorded although something was due, from the first reading on until `to` (ms), and how many readings that is. A gap is
 * longer than three reports, than what stretches of `width` can tell, and, for what was taken in from elsewhere, than three times its own
 * rhythm. `holds`: it reports when it changes, and nothing is ever due.
 */
export function missingFrom(
  buckets: readonly Bucket[],
  { to, width, reportSeconds, holds }: { to: number; width: number; reportSeconds: number; holds: boolean },
): { gaps: { from: number; to: number }[]; missing: number } {
  const used = buckets.filter(({ firstAt }) => Number.isFinite(firstAt));
  const first = used[0]?.firstAt;
  if (holds || first === undefined) return { gaps: [], missing: 0 };
  const apart = used
    .slice(1)
    .map(({ firstAt }, i) => firstAt - (used[i]?.firstAt ?? firstAt))
    .sort((a, b) => a - b);
  const usual = apart[Math.floor(apart.length / 2)] ?? 0;
  let [covered, intervals] = [0, 0];
  for (const { count, firstAt, lastAt } of used) {
    if (count < 2) continue;
    covered += lastAt - firstAt;
    intervals += count - 1;
  }
  const report = reportSeconds * 1000;
  const rhythm = Math.max(report, intervals === 0 ? usual : covered / intervals);
  const gaps = gapsOf(buckets, { from: first, to, width, quiet: Math.max(GAP_REPORTS * report, 1.5 * width, GAP_REPORTS * usual) });
  return { gaps, missing: gaps.reduce((sum, gap) => sum + Math.max(1, Math.round((gap.to - gap.from) / rhythm) - 1), 0) };
}
