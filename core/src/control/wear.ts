/** What an output has done since it is counted: its contact lasts so many operations, and no more. Times in ms since 1970. */
export interface Wear {
  readonly starts: number;
  readonly runMs: number;
  /** Since when it is counted. */
  readonly since: number;
  /** Since when it runs, as it was read back; `null`: it does not. */
  readonly onSince: number | null;
}

/** The same after it was read back on or off, so since `since`. What is read back twice counts once. */
export function wearAfter(before: Wear | null, on: boolean, since: number, now: number): Wear {
  const wear = before ?? { starts: 0, runMs: 0, since: now, onSince: null };
  if (on === (wear.onSince !== null)) return wear;
  if (on) return { ...wear, starts: wear.starts + 1, onSince: Math.min(now, Math.max(since, wear.since)) };
  return { ...wear, runMs: wear.runMs + Math.max(0, Math.min(now, since) - (wear.onSince ?? since)), onSince: null };
}

/** Electrical life of a contact at its rated load, operations: common practice, where its maker says nothing else; a motor or a lamp takes more of it. */
export const RATED_OPERATIONS = 100_000;
const DAY_MS = 86_400_000;

export interface WearFigures {
  readonly starts: number;
  readonly runHours: number;
  readonly startsPerDay: number;
  /** Years that its contact lasts yet at this pace; `null`: counted for less than a day, or it does not start. */
  readonly yearsLeft: number | null;
}

export function wearFigures({ starts, runMs, since, onSince }: Wear, now: number, operations = RATED_OPERATIONS): WearFigures {
  const days = Math.max(0, now - since) / DAY_MS;
  const startsPerDay = days > 0 ? starts / days : 0;
  return {
    starts,
    runHours: (runMs + (onSince === null ? 0 : Math.max(0, now - onSince))) / 3_600_000,
    startsPerDay,
    yearsLeft: days < 1 || starts === 0 ? null : Math.max(0, operations - starts) / (startsPerDay * 365.25),
  };
}
