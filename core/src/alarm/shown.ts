/** How a lamp and a display that follow a rule stand: by where the rule is, and whether that is known. */
export type FollowedState = 'beyond' | 'otherwise' | 'unknown';

/**
 * Where a rule stands for whoever only looks at it. What is not known is never shown as in order: a rule that is not in force or not armed,
 * a node that is silent, a reading that is bad or too old.
 */
export function followedState(known: {
  readonly inForce: boolean;
  readonly armed: boolean;
  readonly silent: boolean;
  readonly fresh: boolean;
  readonly inAlarm: boolean;
}): FollowedState {
  if (!known.inForce || !known.armed || known.silent || !known.fresh) return 'unknown';
  return known.inAlarm ? 'beyond' : 'otherwise';
}

/** For how long what is shown is vouched for, ms: a few minutes, so that a lamp left alone is soon dark. Ours. */
export const SHOWN_FOR_MS = 600_000;

/** Is it to be told anew? Where something else is to be shown, or a third of its time has gone. `sentAt` in ms; `null`: never. */
export const isToBeShown = (wanted: string, last: { readonly shown: string; readonly sentAt: number } | null, now: number): boolean =>
  last === null || last.shown !== wanted || now - last.sentAt >= SHOWN_FOR_MS / 3;
