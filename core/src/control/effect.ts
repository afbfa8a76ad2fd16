/** What a control is expected to do: its value moves by so much, the right way, within a time. */
export interface Expectation {
  /** In the point's unit. */
  readonly by: number;
  readonly withinSeconds: number;
}

/** How a control has done so far. */
export type ControlVerdict =
  { readonly state: 'waits' } | { readonly state: 'answers' | 'fails'; readonly moved: number; readonly seconds: number };

/**
 * Does a value answer to what was switched for it? A rule that is too high wants it lower, one that is too low higher. `since`: since when the
 * output has been read back as it was told, ms; before that nothing is judged. Once it has moved enough it has answered, whatever the time.
 */
export function judgeControl(
  { by, withinSeconds }: Expectation,
  seen: { readonly side: 'high' | 'low'; readonly tripped: number; readonly newest: number; readonly since: number; readonly now: number },
): ControlVerdict {
  const moved = seen.side === 'high' ? seen.tripped - seen.newest : seen.newest - seen.tripped;
  const seconds = Math.max(0, (seen.now - seen.since) / 1000);
  if (moved >= by) return { state: 'answers', moved, seconds };
  return seconds < withinSeconds ? { state: 'waits' } : { state: 'fails', moved, seconds };
}

/** By so much a battery has to recover before it counts as changed or charged: what it sheds when it rests is no charge. Common practice. */
const RECOVERED = 1.03;

/** Is a battery low: at or below its mark, or not yet well above it since? Volts. */
export const batteryLow = (volts: number, mark: number, wasLow: boolean): boolean => volts <= (wasLow ? mark * RECOVERED : mark);
