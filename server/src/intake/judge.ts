import { judgeReading } from '@dewpost/core/series';
import { formatNumber } from '@dewpost/core/quantity';
import type { Draft } from '../engine/draft';
import type { Item, Verdict } from './batch';

/** Gives every record its quality; one outside the physical range is stored as bad and the node is told. */
export function judge(items: readonly Item[], verdicts: readonly Verdict[], draft: Draft): Item[] {
  return items.map((item) => {
    const { body } = item.point;
    const limits = {
      physicalMin: body.physicalMin,
      physicalMax: body.physicalMax,
      spikeStep: body.spikeStep,
      stuckAfterMs: body.stuckAfterSeconds === null ? null : body.stuckAfterSeconds * 1000,
    };
    const judged = judgeReading(limits, draft.quality(item.point.id), item);
    draft.setQuality(item.point.id, judged.state);
    if (judged.quality === 'bad') {
      const range = `${formatNumber(body.physicalMin, body.decimals)} to ${formatNumber(body.physicalMax, body.decimals)} ${body.unit}`;
      verdicts[item.message]?.refused.push({ point: item.point.name, why: `outside what the sensor can measure (${range}): stored as bad, not used` });
    }
    return { ...item, quality: judged.quality, reason: judged.reason };
  });
}
