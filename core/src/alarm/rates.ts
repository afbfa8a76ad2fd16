/** Chattering: so many activations within so long (ANSI/ISA-18.2, rule of thumb: three in a minute). */
export const CHATTER_COUNT = 3;
export const CHATTER_MS = 60_000;

/**
 * Is an alarm chattering: `count` or more activations within any `windowMs`, the window's ends included?
 * Rule of thumb of ANSI/ISA-18.2: three in a minute. `times` ascending, ms.
 */
export function isChattering(times: readonly number[], count = CHATTER_COUNT, windowMs = CHATTER_MS): boolean {
  return times.some((start, i) => {
    const end = times[i + count - 1];
    return end !== undefined && end - start <= windowMs;
  });
}

/** How many of these belong to three or more within a minute; `times` ascending, ms. */
export function chatteringIn(times: readonly number[]): number {
  const members = new Set<number>();
  times.forEach((at, i) => {
    const last = times[i + CHATTER_COUNT - 1];
    if (last !== undefined && last - at <= CHATTER_MS) for (let k = i; k < i + CHATTER_COUNT; k++) members.add(k);
  });
  return members.size;
}

/** Most alarms in any sliding window `[t, t + windowMs)`, the end left out. `times` ascending, ms. */
export function peakRate(times: readonly number[], windowMs = 600_000): number {
  return times.reduce((peak, start, i) => {
    const end = times.findIndex((t, k) => k > i && t >= start + windowMs);
    return Math.max(peak, (end === -1 ? times.length : end) - i);
  }, 0);
}

/** A starting deadband as a share of the operating range: `percent` of `high − low`, in the point's unit. */
export function percentOfSpan(percent: number, low: number, high: number): number {
  return (percent / 100) * (high - low);
}

/** What a rate of alarms in ten minutes comes to in a day, where it went on. Source: ISA-18.2 gives both side by side, rounded. */
export const perDay = (perTenMinutes: number): number => (perTenMinutes * 86_400) / 600;
