import { DateTime } from 'luxon';
import { formatSpan } from '../quantity';

/** One line of a timetable, in a site's own time. */
export interface TimetableLine {
  /** ISO 8601: 1 is Monday, 7 Sunday. */
  readonly weekdays: readonly number[];
  /** Minute of the day at which it begins. */
  readonly minute: number;
  /** How long it runs. */
  readonly seconds: number;
  /** Runs again every so many minutes until a minute of the same day (its last start is before that); `null`: once. */
  readonly again: { readonly everyMinutes: number; readonly untilMinute: number } | null;
}

/** One run of a timetable, ms since 1970. */
export interface TimetableRun {
  readonly at: number;
  readonly endsAt: number;
}

const DAYS_AHEAD = 8;

/** Starts of a line on one day, as minutes of that day. */
function minutesOf({ minute, again }: TimetableLine): number[] {
  if (again === null) return [minute];
  const minutes: number[] = [];
  for (let at = minute; at < again.untilMinute; at += again.everyMinutes) minutes.push(at);
  return minutes;
}

/**
 * Runs of a line that begin on the day (site time) of `day`. A start that the clock leaves out is counted by the offset before the change; one
 * that it shows twice happens the first time, once (RFC 5545, 3.3.5). How long a run lasts does not hang on the clock.
 */
function runsOn(line: TimetableLine, day: DateTime): TimetableRun[] {
  if (!line.weekdays.includes(day.weekday)) return [];
  return minutesOf(line).map((minute) => {
    const shown = day.set({ hour: Math.floor(minute / 60), minute: minute % 60, second: 0, millisecond: 0 });
    // The same clock time an hour before: the first of two.
    const first = shown.minus({ hours: 1 });
    const at = (first.hour === shown.hour && first.minute === shown.minute ? first : shown).toMillis();
    return { at, endsAt: at + line.seconds * 1000 };
  });
}

/** The run under way at `now` that began last; `null`: none. */
export function runUnderWay(lines: readonly TimetableLine[], zone: string, now: number): TimetableRun | null {
  const today = DateTime.fromMillis(now, { zone }).startOf('day');
  const runs = lines.flatMap((line) => [-1, 0].flatMap((days) => runsOn(line, today.plus({ days }))));
  return newest(runs.filter(({ at, endsAt }) => at <= now && now < endsAt));
}

/** The next run that begins after `now`; `null`: there is none. */
export function nextRun(lines: readonly TimetableLine[], zone: string, now: number): TimetableRun | null {
  const today = DateTime.fromMillis(now, { zone }).startOf('day');
  for (let days = 0; days < DAYS_AHEAD; days++) {
    const later = lines.flatMap((line) => runsOn(line, today.plus({ days }))).filter(({ at }) => at > now);
    if (later.length > 0) return later.reduce((first, run) => (run.at < first.at ? run : first));
  }
  return null;
}

const newest = (runs: readonly TimetableRun[]): TimetableRun | null =>
  runs.reduce<TimetableRun | null>((last, run) => (last === null || run.at > last.at ? run : last), null);

/** How long a line runs on a day in all, seconds. */
export const secondsADay = (line: TimetableLine): number => minutesOf(line).length * line.seconds;

/** What is wrong with a line, in words for a person; `null`: nothing. `maxRunSeconds` is the longest its output may run at a time. */
export function lineFault(line: TimetableLine, maxRunSeconds: number | null): string | null {
  if (line.weekdays.length === 0) return 'choose at least one day of the week';
  if (maxRunSeconds !== null && line.seconds > maxRunSeconds) return `at most ${formatSpan(maxRunSeconds)} at a time`;
  if (line.again === null) return null;
  if (line.again.untilMinute <= line.minute) return 'the last time has to be later on the same day';
  if (line.again.everyMinutes * 60 <= line.seconds) return 'leave a pause between its runs';
  return null;
}
