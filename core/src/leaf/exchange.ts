import type { Burst } from '../wire';

/** What a gateway has heard of a leaf: the highest sequence, and what of it was published. */
export interface HeardOf {
  readonly sequence: number;
}

/**
 * Judges a proved word by its sequence: `new` is published and answered, a `repeat` of the newest only answered again (its answer was
 * lost), a `replay` of an older one neither.
 */
export function judgeSequence(heard: HeardOf | null, sequence: number): { verdict: 'new' | 'repeat' | 'replay'; heard: HeardOf } {
  if (heard === null || sequence > heard.sequence) return { verdict: 'new', heard: { sequence } };
  return { verdict: sequence === heard.sequence ? 'repeat' : 'replay', heard };
}

/** Ten copies in a tenth of a second share one fade: three, and repeats that are far apart, do better. */
export const USUAL_BURST: Burst = { count: 3, spacingMs: 20 };
/** Waits before the burst is sent again, ms. */
export const REPEAT_AFTER_MS = [100, 1000, 10_000] as const;

/** When a leaf sends, ms after it woke, as long as nobody answers. A repeat counts from the end of the burst before it. */
export function sendTimes(burst: Burst): number[] {
  const times: number[] = [];
  let start = 0;
  for (const wait of [...REPEAT_AFTER_MS, null]) {
    for (let i = 0; i < burst.count; i++) times.push(start + i * burst.spacingMs);
    if (wait !== null) start += (burst.count - 1) * burst.spacingMs + wait;
  }
  return times;
}

/** Seconds between one send and the next, as long as nobody answers: what a model of fades asks for. */
export function sendGaps(burst: Burst): number[] {
  const times = sendTimes(burst);
  return times.slice(1).map((time, i) => (time - (times[i] ?? 0)) / 1000);
}

/** Sequence numbers that a leaf leaves out at a cold start, so that it need not write its store at every word. */
export const SEQUENCE_STEP = 256;

/** The first sequence after a start, from the one kept in the store; and what to keep now. */
export const sequenceAfterStart = (kept: number): { next: number; keep: number } => ({ next: kept + 1, keep: kept + SEQUENCE_STEP });

/** Seconds that a gateway takes settings after it was powered up. Common practice. */
export const GATEWAY_WINDOW_SECONDS = 300;
