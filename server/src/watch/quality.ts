import type { PointQuality } from '@dewpost/contract';
import { scaleOf, versionAt } from '@dewpost/core/calibration';
import { formatNumber } from '@dewpost/core/quantity';
import { LEVELS, likelyCause, missingFrom, type Bucket, type NotGood } from '@dewpost/core/series';
import type { Database } from '../database/connect';
import { REASON_CODE } from '../intake/batch';
import type { PointEntry } from '../model/entries';
import { uncalibrated } from '../model/views';
import type { Registry } from '../model/registry';
import { readLevels } from '../record/read';

const BINS = 112;
/** Reasons are looked up of so many points at most, those with most that is not good first. */
const LOOKED_UP = 40;

/** Points by how much of their last hours is not good, the worst first, each with its likely cause. */
export async function qualityOf(
  database: Database,
  registry: Registry,
  hours: number,
  now: number,
): Promise<{ from: number; to: number; bins: number; points: PointQuality[] }> {
  const from = now - hours * 3_600_000;
  const points = [...registry.points.values()].filter(({ body }) => body.kind === 'measured');
  const records = await readLevels(database, { points: points.map(({ id }) => id), from, to: now });
  const counted = points
    .flatMap((point) => {
      const record = records.get(point.id) ?? [];
      return record.length > 0 ? [{ point, record, ...countsOf(point, record, from, now) }] : [];
    })
    .sort((a, b) => b.share - a.share || b.late - a.late || a.point.id - b.point.id);
  const judged: PointQuality[] = [];
  for (const [i, { point, record, ...counts }] of counted.entries()) {
    const lookedUp = i < LOOKED_UP && counts.suspect + counts.bad > 0 ? await reasonsOf(database, point.id, from, now) : NO_REASONS;
    const { unit, decimals } = scaleOf(point.body, point.calibrations);
    const lastAt = record.reduce<number | null>((last, { lastAt: at }) => (Number.isFinite(at) ? Math.max(last ?? 0, at) : last), null);
    const cause = likelyCause({ ...counts, ...lookedUp, lastAt, now, calibration: calibrationOf(point, now) }, (value) =>
      `${formatNumber(value, decimals)} ${unit}`.trim(),
    );
    judged.push({ point: point.id, ...counts, cause });
  }
  return { from, to: now, bins: BINS, points: judged };
}

/** How its calibration stands; one that its sheet converts, or that comes in its own unit, wants none. */
function calibrationOf(point: PointEntry, now: number): NonNullable<NotGood['calibration']> {
  if (uncalibrated(point)) return 'missing';
  const inForce = versionAt(point.body.raw, point.calibrations, now);
  if (!inForce) return 'none';
  return inForce.inherited ? 'inherited' : inForce.dueAt !== null && inForce.dueAt < now ? 'due' : 'in order';
}

type Counts = Omit<PointQuality, 'point' | 'cause'>;

function countsOf(point: PointEntry, record: readonly Bucket[], from: number, to: number): Counts {
  const sumOf = (of: 'count' | 'suspect' | 'bad' | 'late'): number => record.reduce((total, bucket) => total + bucket[of], 0);
  const first = Math.max(from, Math.min(...record.map(({ firstAt }) => firstAt)));
  const holds = point.body.confirm === 'hold';
  const { gaps, missing } = missingFrom(record, { to, width: LEVELS.quarter, reportSeconds: point.node.reportSeconds, holds });
  const width = (to - from) / BINS;
  const bins = new Map<number, [number, number, number, number]>();
  const add = (at: number, what: 0 | 1 | 2 | 3, count: number): void => {
    if (count === 0) return;
    const place = Math.min(BINS - 1, Math.max(0, Math.floor((at - from) / width)));
    const bin = bins.get(place) ?? [0, 0, 0, 0];
    bin[what] += count;
    bins.set(place, bin);
  };
  for (const { at, suspect, bad, late } of record) {
    add(at, 0, suspect);
    add(at, 1, bad);
    add(at, 3, late);
  }
  const total = gaps.reduce((sum, gap) => sum + gap.to - gap.from, 0);
  for (const gap of gaps) {
    const lost = (missing * (gap.to - gap.from)) / total;
    const pieces = Math.max(1, Math.ceil((gap.to - gap.from) / width));
    for (let i = 0; i < pieces; i++) add(gap.from + ((i + 0.5) * (gap.to - gap.from)) / pieces, 2, Math.max(1, Math.round(lost / pieces)));
  }
  const [used, suspect, bad, late] = [sumOf('count'), sumOf('suspect'), sumOf('bad'), sumOf('late')];
  const due = used + bad + missing;
  return {
    ...{ used, suspect, bad, late, missing },
    since: Number.isFinite(first) ? first : from,
    share: due === 0 ? 0 : (suspect + bad + missing) / due,
    bins: [...bins].sort((a, b) => a[0] - b[0]).map(([place, counts]) => [place, ...counts]),
  };
}

const NO_REASONS = { reasons: {}, commonest: null } as const;

/** Reasons of what is not good at a point, and the value that came most often among it. */
async function reasonsOf(
  database: Database,
  point: number,
  from: number,
  to: number,
): Promise<{ reasons: Record<string, number>; commonest: { value: number; count: number } | null }> {
  const { rows } = await database.raw<{ rows: { reason: number; value: number; count: number }[] }>(
    `select reason, value, count(*)::int as count from reading where point_id = ? and at between ? and ? and quality > 0 group by reason, value`,
    [point, new Date(from), new Date(to)],
  );
  const reasons: Record<string, number> = {};
  const values = new Map<number, number>();
  for (const { reason, value, count } of rows) {
    const name = REASON_CODE[reason] ?? '';
    reasons[name] = (reasons[name] ?? 0) + count;
    values.set(value, (values.get(value) ?? 0) + count);
  }
  const [most] = [...values].sort((a, b) => b[1] - a[1]);
  return { reasons, commonest: most ? { value: most[0], count: most[1] } : null };
}
