import type { Quality } from '../alarm';
import { robustDistance } from './robust';

/** What a point's readings are judged by; all values in the point's unit. */
export interface QualityLimits {
  readonly physicalMin: number;
  readonly physicalMax: number;
  /** A change between neighbouring readings above this is a spike; `null`: not judged. */
  readonly spikeStep: number | null;
  /** So many readings before are what a reading is held against as well (Hampel); `null`: they are not. */
  readonly spikeWindow?: number | null;
  /** The least step of the sensor: noise is never taken for smaller. */
  readonly resolution?: number;
  /** Exactly the same value for this long is a stuck sensor; `null`: not judged (contacts, switched points). */
  readonly stuckAfterMs: number | null;
  /** A value at which it may stand still: saturated air, no wind. */
  readonly restsAt?: number | null;
}

export interface QualityState {
  readonly last: { readonly at: number; readonly value: number } | null;
  /** Since when the value has been exactly the same. */
  readonly sameSince: number | null;
  /** Readings in a row that jumped away from the last one believed. */
  readonly jumps: number;
  /** The newest values in range, oldest first, where they are held against. */
  readonly recent?: readonly number[];
}

export const INITIAL_QUALITY_STATE: QualityState = { last: null, sameSince: null, jumps: 0 };

export type QualityReason = 'out-of-range' | 'not-a-number' | 'spike' | 'stuck' | null;

/** Beyond so many robust standard deviations of those before it, a reading is a spike: the usual figure of the Hampel identifier. */
const HAMPEL_SIGMAS = 3;

/**
 * Judges one reading after the one before it. `bad`: not a number or outside the physical range; `suspect`: a spike
 * or stuck; else `good`. Late readings (not after the last) are judged by range alone and leave the state.
 * Spike and stuck limits are common practice, set with the part.
 */
export function judgeReading(
  limits: QualityLimits,
  state: QualityState,
  reading: { at: number; value: number },
): { state: QualityState; quality: Quality; reason: QualityReason } {
  const { at, value } = reading;
  if (!Number.isFinite(value)) return { state, quality: 'bad', reason: 'not-a-number' };
  if (value < limits.physicalMin || value > limits.physicalMax) return { state, quality: 'bad', reason: 'out-of-range' };
  const { last } = state;
  if (last !== null && at <= last.at) return { state, quality: 'good', reason: null };
  const same = last !== null && last.value === value;
  const { spikeWindow = null, resolution = 0 } = limits;
  const before = state.recent ?? [];
  const recent = spikeWindow === null ? {} : { recent: [...before, value].slice(-spikeWindow) };
  const next: QualityState = { last: { at, value }, sameSince: same ? (state.sameSince ?? last.at) : at, jumps: 0, ...recent };
  if (
    limits.stuckAfterMs !== null &&
    value !== (limits.restsAt ?? null) &&
    next.sameSince !== null &&
    at - next.sameSince >= limits.stuckAfterMs
  ) {
    return { state: next, quality: 'suspect', reason: 'stuck' };
  }
  if (limits.spikeStep !== null && last !== null && Math.abs(value - last.value) > limits.spikeStep) {
    // One jump is a spike and the old level is still believed; a second in a row means the quantity really moved.
    if (state.jumps >= 1) return { state: next, quality: 'suspect', reason: 'spike' };
    return { state: { last: { at, value: last.value }, sameSince: null, jumps: 1, ...recent }, quality: 'suspect', reason: 'spike' };
  }
  // Held against its own noise: a real step is believed once it is half of those before.
  if (spikeWindow !== null && before.length >= spikeWindow && Math.abs(robustDistance(before, value, resolution)) > HAMPEL_SIGMAS)
    return { state: next, quality: 'suspect', reason: 'spike' };
  return { state: next, quality: 'good', reason: null };
}
