import type { PointRecord, Threshold } from '@dewpost/contract';
import { violates } from '@dewpost/core/alarm';
import { missingFrom, type Bucket } from '@dewpost/core/series';

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

/** Where nothing of a record was recorded although something was due, up to `now` (ms), and how many readings that is. */
export const missingIn = (
  record: Pick<PointRecord, 'stretches' | 'to' | 'reportSeconds' | 'width' | 'point'>,
  now: number,
): { gaps: { from: number; to: number }[]; missing: number } =>
  missingFrom(bucketsOf(record), {
    to: Math.min(record.to, now),
    width: record.width,
    reportSeconds: record.reportSeconds,
    holds: record.point.confirm === 'hold',
  });
