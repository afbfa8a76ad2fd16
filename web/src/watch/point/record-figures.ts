import type { PointRecord, Threshold } from '@dewpost/contract';
import { violates } from '@dewpost/core/alarm';
import { gapsOf, type Bucket } from '@dewpost/core/series';

/** The stretches of a record as figures are made of them; what is only known of readings (their sum) follows from the mean. */
export const bucketsOf = ({ stretches }: Pick<PointRecord, 'stretches'>): Bucket[] =>
  stretches.map(([at, low, mean, high, count, suspect, bad, late, firstAt, lastAt]) => ({
    at,
    low: low ?? Infinity,
    high: high ?? -Infinity,
    total: (mean ?? 0) * count,
    count,
    suspect,
    bad,
    late,
    first: mean ?? NaN,
    firstAt: firstAt ?? Infinity,
    last: mean ?? NaN,
    lastAt: lastAt ?? -Infinity,
  }));

/** How long the record lay beyond each limit, ms, by the mean of each stretch: no finer than the stretches are. */
export function beyondLimits<T extends Pick<Threshold, 'side' | 'setpoint'>>(
  record: Pick<PointRecord, 'stretches' | 'width' | 'to'>,
  limits: readonly T[],
): { limit: T; ms: number }[] {
  return limits.map((limit) => ({
    limit,
    ms: record.stretches.reduce(
      (sum, [at, , mean]) => (mean !== null && violates(limit, mean) ? sum + Math.min(record.width, Math.max(0, record.to - at)) : sum),
      0,
    ),
  }));
}

/** So many reports may be missing before it is a gap: common practice. */
const GAP_REPORTS = 3;

/**
 * The longest silence that is no gap, ms: three reports, and never shorter than the stretches can tell. What was taken in from elsewhere has
 * a rhythm of its own: three times the usual distance of its stretches.
 */
export function quietMs({ reportSeconds, width, stretches }: Pick<PointRecord, 'reportSeconds' | 'width' | 'stretches'>): number {
  const begins = stretches.flatMap(([, , , , , , , , firstAt]) => firstAt ?? []);
  const apart = begins
    .slice(1)
    .map((at, i) => at - (begins[i] ?? at))
    .sort((a, b) => a - b);
  const usual = apart[Math.floor(apart.length / 2)] ?? 0;
  return Math.max(GAP_REPORTS * reportSeconds * 1000, 1.5 * width, GAP_REPORTS * usual);
}

/** Where nothing was recorded although something was due, from the first reading on. What reports when it changes has no gaps. */
export function gapsIn(
  record: Pick<PointRecord, 'stretches' | 'to' | 'reportSeconds' | 'width' | 'point'>,
  now: number,
): { from: number; to: number }[] {
  if (record.point.confirm === 'hold') return [];
  const first = record.stretches.find(([, , , , , , , , firstAt]) => firstAt !== null)?.[8];
  if (first === undefined || first === null) return [];
  return gapsOf(bucketsOf(record), { from: first, to: Math.min(record.to, now), width: record.width, quiet: quietMs(record) });
}

/** How far apart the readings of a record are, ms: as its node reports, or as what was taken in from elsewhere came, within its stretches. */
export function rhythmMs({ stretches, reportSeconds }: Pick<PointRecord, 'stretches' | 'reportSeconds'>): number {
  let [covered, intervals] = [0, 0];
  for (const [, , , , count, , , , firstAt, lastAt] of stretches) {
    if (count < 2 || firstAt === null || lastAt === null) continue;
    covered += lastAt - firstAt;
    intervals += count - 1;
  }
  return Math.max(reportSeconds * 1000, intervals === 0 ? 0 : covered / intervals);
}

/** How many readings are missing in those gaps, at the record's own rhythm. */
export const missingIn = (gaps: readonly { from: number; to: number }[], rhythm: number): number =>
  gaps.reduce((sum, { from, to }) => sum + Math.max(0, Math.round((to - from) / rhythm) - 1), 0);
