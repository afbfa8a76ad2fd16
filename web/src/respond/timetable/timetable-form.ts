import type { Relay, TimetableBody } from '@dewpost/contract';
import { counted, formatSpan } from '@dewpost/core/quantity';
import { lineFault, minuteOfDay, nextRun, timeOfMinute, type TimetableLine } from '@dewpost/core/time';
import * as z from 'zod';
import type { Draft, Finding } from '../../parts/zod-forms';

export type OutputTimetable = NonNullable<Relay['timetable']>;

export const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'] as const;
const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7] as const;

const time = z.string().refine((text) => text === '' || minuteOfDay(text) !== null, 'a time such as 06:30');
const lineForm = z.object({
  /** Chosen together in one list: one field, not a list of them. */
  weekdays: z.array(z.number()).readonly(),
  start: time.refine((text) => text !== '', 'when it begins'),
  minutes: z.number().positive('longer than nothing').max(1440),
  /** Empty: once. */
  everyMinutes: z.number().int('whole minutes').min(1).max(1440).nullable(),
  until: time,
});
/** A timetable as it is typed: times of day as text, how long in minutes. */
export const timetableForm = z.object({ lines: z.array(lineForm), from: time, to: time });
export type TimetableDraft = Draft<typeof timetableForm>;
export type LineDraft = TimetableDraft['lines'][number];

export const FRESH_LINE: LineDraft = { weekdays: [...EVERY_DAY], start: '06:00', minutes: 10, everyMinutes: null, until: '' };

export const draftOfTimetable = (timetable: OutputTimetable | null): TimetableDraft => ({
  lines: (timetable?.lines ?? []).map(({ weekdays, minute, seconds, again }) => ({
    weekdays,
    start: timeOfMinute(minute),
    minutes: seconds / 60,
    everyMinutes: again?.everyMinutes ?? null,
    until: again ? timeOfMinute(again.untilMinute % 1440) : '',
  })),
  from: timetable?.hours ? timeOfMinute(timetable.hours.from) : '',
  to: timetable?.hours ? timeOfMinute(timetable.hours.to) : '',
});

function lineOfDraft({ weekdays, start, minutes, everyMinutes, until }: LineDraft): TimetableLine | null {
  const minute = minuteOfDay(start ?? '');
  if (minute === null || minutes === null) return null;
  // Midnight as the last time is that of the day's end.
  const last = until ? minuteOfDay(until) || 1440 : 1440;
  return {
    weekdays: [...(weekdays ?? [])].sort((a, b) => a - b),
    minute,
    seconds: Math.round(minutes * 60),
    again: everyMinutes === null ? null : { everyMinutes, untilMinute: last },
  };
}

/** The timetable that a draft stands for; `null` while something in it is none. */
export function timetableOfDraft(draft: TimetableDraft): Omit<TimetableBody, 'from'> | null {
  if (!timetableForm.safeParse(draft).success) return null;
  const lines = draft.lines.map(lineOfDraft);
  const [from, to] = [minuteOfDay(draft.from ?? ''), minuteOfDay(draft.to ?? '')];
  if (lines.some((line) => line === null)) return null;
  return { lines: lines as TimetableLine[], hours: from === null || to === null ? null : { from, to } };
}

/** What no single field knows: lines that could not be right, half a span of hours. */
export function timetableFindings(draft: TimetableDraft, maxRunSeconds: number | null): Finding[] {
  const lines = draft.lines.flatMap((typed, i): Finding[] => {
    const line = lineOfDraft(typed);
    const fault = line && lineFault(line, maxRunSeconds);
    if (!fault) return [];
    const field = line.weekdays.length === 0 ? 'weekdays' : line.again === null ? 'minutes' : 'everyMinutes';
    return [{ path: ['lines', i, field], message: fault }];
  });
  const half = (draft.from === '') !== (draft.to === '');
  const alike = draft.from !== '' && draft.from === draft.to;
  return [
    ...lines,
    ...(half ? [{ path: [draft.from === '' ? 'from' : 'to'], message: 'both, or neither' }] : []),
    ...(alike ? [{ path: ['to'], message: 'another time than it begins' }] : []),
  ];
}

/** Days as people say them: "every day", "Mon to Fri", "Sat, Sun". */
export function daysWords(weekdays: readonly number[]): string {
  if (weekdays.length === 7) return 'every day';
  const names = weekdays.map((day) => WEEKDAYS[day - 1] ?? '');
  const [first, last] = [weekdays[0] ?? 0, weekdays.at(-1) ?? 0];
  const inARow = weekdays.length > 2 && last - first === weekdays.length - 1;
  return inARow ? `${names[0]} to ${names.at(-1)}` : names.join(', ');
}

export function lineWords({ weekdays, minute, seconds, again }: TimetableLine): string {
  const times = again
    ? `every ${formatSpan(again.everyMinutes * 60)} from ${timeOfMinute(minute)} until ${timeOfMinute(again.untilMinute % 1440)}, ${formatSpan(seconds)} each`
    : `at ${timeOfMinute(minute)} for ${formatSpan(seconds)}`;
  return `${daysWords(weekdays)} ${times}`;
}

/** A timetable in one line; `null`: there is nothing to say. */
export function timetableWords(timetable: OutputTimetable | null): string | null {
  if (!timetable) return null;
  const { lines, hours } = timetable;
  const runs = lines.length > 3 ? counted(lines.length, 'line') : lines.map(lineWords).join('; ');
  const within = hours ? `only from ${timeOfMinute(hours.from)} to ${timeOfMinute(hours.to)}` : '';
  return [runs, within].filter(Boolean).join('; ') || null;
}

/** When it runs next, ms; `null`: never. */
export const nextAt = (timetable: OutputTimetable | null, zone: string, now: number): number | null =>
  timetable ? (nextRun(timetable.lines, zone, now)?.at ?? null) : null;
