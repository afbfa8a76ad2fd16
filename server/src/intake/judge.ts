import { judgeRaw, rawScale } from '@dewpost/core/calibration';
import { judgeReading, type QualityLimits } from '@dewpost/core/series';
import type { SheetPoint } from '@dewpost/contract';
import { formatNumber } from '@dewpost/core/quantity';
import type { Draft } from '../engine/draft';
import { uncalibrated } from '../model/views';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { around } from './around';
import { QUALITY_CODE, type Item, type Verdict } from './batch';

/**
 * Gives every record its quality; one outside the physical range is stored as bad and the node is told. A derived reading is
 * no better than the worst of what it was computed from.
 */
export function judge(items: readonly Item[], verdicts: readonly Verdict[], draft: Draft, registry: Registry): readonly Item[] {
  for (const item of items) {
    const { body } = item.point;
    const atRaw = judgeRaw(body.raw, item.raw);
    if (body.faultValues?.includes(item.raw)) {
      item.quality = 'bad';
      item.reason = 'fault';
    } else if (atRaw === 'out-of-range') {
      item.quality = 'bad';
      item.reason = atRaw;
    } else {
      const judged = judgeReading(limitsOf(item.point, registry), draft.quality(item.point.id), item, around(item.point, draft, registry));
      draft.setQuality(item.point.id, judged.state);
      const pinned = atRaw !== null && judged.quality !== 'bad';
      item.quality = pinned ? 'suspect' : judged.quality;
      item.reason = pinned ? atRaw : judged.reason;
    }
    if (item.quality === 'bad') {
      verdicts[item.message]?.refused.push({
        point: item.point.name,
        why:
          item.reason === 'fault'
            ? `${item.raw} is what its sensor gives where a reading failed: stored as bad, not used`
            : `outside what the sensor can measure (${rangeOf(item.point, atRaw !== null)}): stored as bad, not used`,
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
const ANY_VALUE = {
  ...{ physicalMin: -Infinity, physicalMax: Infinity, spikeStep: null, spikeWindow: null, restsAt: null },
  stuckBesideMs: null,
} as const;
/** By what a point is: that is another object once its figures are others. */
const limits = new WeakMap<SheetPoint, QualityLimits>();

function limitsOf(point: PointEntry, { stuckSooner }: Registry): QualityLimits {
  const known = uncalibrated(point) ? { ...measuredLimits(point), ...ANY_VALUE } : measuredLimits(point);
  const stuckAfterMs = stuckSooner.get(point.id);
  return stuckAfterMs === undefined ? known : { ...known, stuckAfterMs };
}

/** Others moved while this stood still for so many of its reports, and half an hour at least: then it should have moved. Common practice. */
const BESIDE = { reports: 12, leastMs: 1_800_000 } as const;

function measuredLimits(point: PointEntry): QualityLimits {
  const known = limits.get(point.body);
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
    stuckBesideMs: spikeStep === null ? null : Math.max(BESIDE.leastMs, BESIDE.reports * point.node.reportSeconds * 1000),
    // Half of what would be a jump is more than weather does by itself unseen.
    besideMoves: (spikeStep ?? Infinity) / 2,
  };
  limits.set(point.body, made);
  return made;
}
