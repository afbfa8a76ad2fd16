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
  /** Exactly the same value for this long is a stuck sensor where others beside it have moved by `besideMoves` meanwhile; `null`: not judged by others. */
  readonly stuckBesideMs?: number | null;
  readonly besideMoves?: number;
}

/** What is known around a reading when it comes. */
export interface Surroundings {
  /** Its node has less than its supply must give: what it measures is not to be trusted. */
  readonly supplyLow: boolean;
  /** Where others of its kind beside it stand now, by their numbers; asked for only where it stands still. */
  others(): readonly (readonly [point: number, value: number])[];
}

const ALONE: Surroundings = { supplyLow: false, others: () => [] };

export interface QualityState {
  readonly last: { readonly at: number; readonly value: number } | null;
  /** Since when the value has been exactly the same. */
  readonly sameSince: number | null;
  /** Readings in a row that jumped away from the last one believed. */
  readonly jumps: number;
  /** The newest values in range, oldest first, where they are held against. */
  readonly recent?: readonly number[];
  /** Where others stood when it had begun to stand still. */
  readonly beside?: readonly (readonly [point: number, value: number])[];
  /** What those before now came to: a backfill is judged in its own order, beside what is new. */
  readonly late?: QualityState;
}

export const INITIAL_QUALITY_STATE: QualityState = { last: null, sameSince: null, jumps: 0 };

export type QualityReason = 'out-of-range' | 'not-a-number' | 'spike' | 'stuck' | 'supply' | null;

/** Beyond so many robust standard deviations of those before it, a reading is a spike: the usual figure of the Hampel identifier. */
const HAMPEL_SIGMAS = 3;

/** So long it has stood still before it is noted where the others stand, ms. */
const NOTED_AFTER_MS = 300_000;

interface Judged {
  readonly state: QualityState;
  readonly quality: Quality;
  readonly reason: QualityReason;
}

/**
 * Judges one reading after the one before it. `bad`: not a number or outside the physical range; `suspect`: a spike, stuck (by its own habit,
 * or while most of the others beside it have moved), or measured on too low a supply; else `good`. Late readings (not after the last) are judged
 * after the late one before them, the first of a backfill by its range alone; they leave the rest of the state.
 * Spike and stuck limits are common practice, set with the part.
 */
export function judgeReading(
  limits: QualityLimits,
  state: QualityState,
  reading: { at: number; value: number },
  around: Surroundings = ALONE,
): Judged {
  const judged = judgeByItself(limits, state, reading, around);
  return judged.quality === 'good' && around.supplyLow ? { ...judged, quality: 'suspect', reason: 'supply' } : judged;
}

function judgeByItself(limits: QualityLimits, state: QualityState, reading: { at: number; value: number }, around: Surroundings): Judged {
  const { at, value } = reading;
  if (!Number.isFinite(value)) return { state, quality: 'bad', reason: 'not-a-number' };
  if (value < limits.physicalMin || value > limits.physicalMax) return { state, quality: 'bad', reason: 'out-of-range' };
  const { last } = state;
  if (last !== null && at <= last.at) return judgeLate(limits, state, reading);
  const same = last !== null && last.value === value;
  const { spikeWindow = null, resolution = 0 } = limits;
  const before = state.recent ?? [];
  const recent = spikeWindow === null ? {} : { recent: [...before, value].slice(-spikeWindow) };
  const sameSince = same ? (state.sameSince ?? last.at) : at;
  const beside = same ? noted(limits, state, at - sameSince, around) : {};
  const late = state.late === undefined ? {} : { late: state.late };
  const next: QualityState = { last: { at, value }, sameSince, jumps: 0, ...recent, ...beside, ...late };
  if (value !== (limits.restsAt ?? null) && isStuck(limits, next, at - sameSince, around))
    return { state: next, quality: 'suspect', reason: 'stuck' };
  if (limits.spikeStep !== null && last !== null && Math.abs(value - last.value) > limits.spikeStep) {
    // One jump is a spike and the old level is still believed; a second in a row means the quantity really moved.
    if (state.jumps >= 1) return { state: next, quality: 'suspect', reason: 'spike' };
    return {
      state: { last: { at, value: last.value }, sameSince: null, jumps: 1, ...recent, ...late },
      quality: 'suspect',
      reason: 'spike',
    };
  }
  // Held against its own noise: a real step is believed once it is half of those before.
  if (spikeWindow !== null && before.length >= spikeWindow && Math.abs(robustDistance(before, value, resolution)) > HAMPEL_SIGMAS)
    return { state: next, quality: 'suspect', reason: 'spike' };
  return { state: next, quality: 'good', reason: null };
}

/** A late one: judged after the late one before it, in the order of their times. */
function judgeLate(limits: QualityLimits, { late, ...state }: QualityState, reading: { at: number; value: number }): Judged {
  const before = late?.last && reading.at > late.last.at ? late : INITIAL_QUALITY_STATE;
  const judged = judgeByItself(limits, before, reading, ALONE);
  return { ...judged, state: { ...state, late: judged.state } };
}

/** Where the others stand, noted once while it stands still. */
function noted(limits: QualityLimits, { beside }: QualityState, still: number, around: Surroundings): Pick<QualityState, 'beside'> {
  if (beside !== undefined) return { beside };
  return (limits.stuckBesideMs ?? null) !== null && still >= NOTED_AFTER_MS ? { beside: around.others() } : {};
}

/** Has it stood still for longer than it does by habit, or while more than half of those beside it moved? */
function isStuck(
  { stuckAfterMs, stuckBesideMs, besideMoves = Infinity }: QualityLimits,
  { beside = [] }: QualityState,
  still: number,
  around: Surroundings,
): boolean {
  if (stuckAfterMs === null) return false;
  if (still >= stuckAfterMs) return true;
  if ((stuckBesideMs ?? null) === null || still < (stuckBesideMs ?? Infinity) || beside.length === 0) return false;
  const now = new Map(around.others());
  const known = beside.filter(([point]) => now.has(point));
  const moved = known.filter(([point, then]) => Math.abs((now.get(point) ?? then) - then) >= besideMoves);
  return moved.length > known.length / 2;
}
