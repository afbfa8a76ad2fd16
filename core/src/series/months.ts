/** Times of a month (`2026-03`, in UTC, as raw readings lie in the store): its begin and the begin of the next, ms. */
export function monthSpan(month: string): { from: number; to: number } {
  const [year = 0, of = 1] = month.split('-').map(Number);
  return { from: Date.UTC(year, of - 1), to: Date.UTC(year, of) };
}

/**
 * Where the raw readings that stay begin, ms: the current month and `keep` whole months before it stay. `null` keeps everything:
 * −Infinity.
 */
export function keptFrom(keep: number | null, now: number): number {
  if (keep === null) return -Infinity;
  const today = new Date(now);
  return Date.UTC(today.getUTCFullYear(), today.getUTCMonth() - keep);
}

/** Of these months those whose raw readings go when so many months are kept, oldest first. */
export const monthsThatGo = (months: readonly string[], keep: number | null, now: number): string[] =>
  months.filter((month) => monthSpan(month).to <= keptFrom(keep, now)).sort();
