import { judgeReading, type QualityLimits } from '@dewpost/core/series';
import { formatNumber } from '@dewpost/core/quantity';
import type { Draft } from '../engine/draft';
import type { PointEntry } from '../model/registry';
import { QUALITY_CODE, type Item, type Verdict } from './batch';

/**
 * Gives every record its quality; one outside the physical range is stored as bad and the node is told. A derived reading is
 * no better than the worst of what it was computed from.
 */
export function judge(items: readonly Item[], verdicts: readonly Verdict[], draft: Draft): readonly Item[] {
  for (const item of items) {
    const { body } = item.point;
    const judged = judgeReading(limitsOf(item.point), draft.quality(item.point.id), item);
    draft.setQuality(item.point.id, judged.state);
    if (judged.quality === 'bad') {
      const range = `${formatNumber(body.physicalMin, body.decimals)} to ${formatNumber(body.physicalMax, body.decimals)} ${body.unit}`;
      verdicts[item.message]?.refused.push({
        point: item.point.name,
        why: `outside what the sensor can measure (${range}): stored as bad, not used`,
      });
    }
    item.quality = judged.quality;
    item.reason = judged.reason;
    for (const input of item.inputs ?? []) {
      if (QUALITY_CODE[input.quality] <= QUALITY_CODE[item.quality]) continue;
      item.quality = input.quality;
      item.reason = input.reason;
    }
  }
  return items;
}

const limits = new WeakMap<PointEntry, QualityLimits>();

function limitsOf(point: PointEntry): QualityLimits {
  const known = limits.get(point);
  if (known) return known;
  const { physicalMin, physicalMax, spikeStep, restsAt, stuckAfterSeconds } = point.body;
  const made = { physicalMin, physicalMax, spikeStep, restsAt, stuckAfterMs: stuckAfterSeconds === null ? null : stuckAfterSeconds * 1000 };
  limits.set(point, made);
  return made;
}
