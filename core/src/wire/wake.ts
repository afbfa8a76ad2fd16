/** Why a node woke, in the order of the numbers that are stored: its timer, a contact of its, its button, its supply put on. */
export const WAKE_REASONS = ['timer', 'contact', 'button', 'power'] as const;
export type WakeReason = (typeof WAKE_REASONS)[number];

/** The point that says with each report why its node woke, where the build sheet asks for it. */
export const WAKE_POINT = 'woke-by';

/** Does a sensor say it? Why a node woke it says of itself: there is nothing about it to prove, to hold an instrument to, or to calibrate. */
export const isOfSensor = (point: { readonly name: string }): boolean => point.name !== WAKE_POINT;

/** The number stored for a reason as a node sends it; `null`: none of the reasons. */
export function wakeCode(said: unknown): number | null {
  const code = typeof said === 'string' ? WAKE_REASONS.indexOf(said.trim() as WakeReason) : -1;
  return code < 0 ? null : code;
}

/** The reason in a word, for what is read; `null`: this point says something else, or the number is none of its. */
export const wakeWord = (point: string, value: number): WakeReason | null => (point === WAKE_POINT ? (WAKE_REASONS[value] ?? null) : null);
