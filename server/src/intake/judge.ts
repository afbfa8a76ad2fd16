import { judgeRaw, rawScale } from '@dewpost/core/calibration';
import { judgeReading, type QualityLimits } from '@dewpost/core/series';
import { formatNumber } from '@dewpost/core/quantity';
import type { Draft } from '../engine/draft';
import { uncalibrated } from '../model/views';
import type { PointEntry } from '../model/entries';
import { QUALITY_CODE, type Item, type Verdict } from './batch';

/**
 * Gives every record its quality; one outside the physical range is stored as bad and the node is told. A derived reading is
 * no better than the worst of what it was computed from.
 */
export function judge(items: readonly Item[], verdicts: readonly Verdict[], draft: Draft): readonly Item[] {
  for (const item of items) {
    const { body } = item.point;
    const atRaw = judgeRaw(body.raw, item.raw);
    if (atRaw === 'out-of-range') {
      item.quality = 'bad';
      item.reason = atRaw;
    } else {
      const judged = judgeReading(limitsOf(item.point), draft.quality(item.point.id), item);
      draft.setQuality(item.point.id, judged.state);
      const pinned = atRaw !== null && judged.quality !== 'bad';
      item.quality = pinned ? 'suspect' : judged.quality;
      item.reason = pinned ? atRaw : judged.reason;
    }
    if (item.quality === 'bad') {
      verdicts[item.message]?.refused.push({
        point: item.point.name,
        why: `outside what the sensor can measure (${rangeOf(item.point, atRaw !== null)}): stored as bad, not used`,
      });
    }
    for (const input of item.inputs ?? []) {
      if (QUALITY_CODE[input.quality] <= QUALITY_CODE[item.quality]) continue;
      item.quality = input.quality;
      item.reason = input.reason;
    }
  }
  return items;
}

/** What a point can measure, in words; `raw`: what its node can send. */
function rangeOf({ body }: PointEntry, raw: boolean): string {
  const { min, max, unit, decimals } = raw && body.raw ? rawScale(body.raw) : { ...body, min: body.physicalMin, max: body.physicalMax };
  return `${formatNumber(min, decimals)} to ${formatNumber(max, decimals)} ${unit}`;
}

/** What nothing converts is judged by its raw range alone, and by its standing still. */
const ANY_VALUE = { physicalMin: -Infinity, physicalMax: Infinity, spikeStep: null, spikeWindow: null, restsAt: null } as const;
const limits = new WeakMap<PointEntry, QualityLimits>();

function limitsOf(point: PointEntry): QualityLimits {
  if (uncalibrated(point)) return { ...measuredLimits(point), ...ANY_VALUE };
  return measuredLimits(point);
}

function measuredLimits(point: PointEntry): QualityLimits {
  const known = limits.get(point);
  if (known) return known;
  const { physicalMin, physicalMax, spikeStep, restsAt, stuckAfterSeconds, decimals } = point.body;
  const made = {
    physicalMin,
    physicalMax,
    spikeStep,
    restsAt,
    spikeWindow: point.body.spikeWindow ?? null,
    resolution: 10 ** -decimals,
    stuckAfterMs: stuckAfterSeconds === null ? null : stuckAfterSeconds * 1000,
  };
  limits.set(point, made);
  return made;
}
