/** How the days of a file are written: year first, day first, or month first. */
export const DATE_ORDERS = ['year', 'day', 'month'] as const;
export type DateOrder = (typeof DATE_ORDERS)[number];

/** A time as a text says it: what the clock on the wall showed (ms, as if it were UTC), and its distance from UTC where the text says that, min. */
export interface TimeSaid {
  readonly wall: number;
  readonly offset: number | null;
}

const ISO = /^(\d{4})[-/.](\d{1,2})[-/.](\d{1,2})(?:[T ]+(\d{1,2}):(\d{2})(?::(\d{2})(?:[.,](\d{1,6}))?)?\s*(Z|[+-]\d{2}:?\d{2})?)?$/;
const OTHER = /^(\d{1,2})[-/.](\d{1,2})[-/.](\d{4}|\d{2})(?:[T, ]+(\d{1,2}):(\d{2})(?::(\d{2})(?:[.,](\d{1,6}))?)?\s*([AaPp][Mm])?)?$/;

/**
 * The time that a text says; `null`: none. RFC 3339 and its relatives, day or month first by `order`, seconds or milliseconds since 1970.
 * Two-digit years are of this century.
 */
export function readTime(text: string, order: DateOrder): TimeSaid | null {
  const given = text.trim();
  if (/^\d{9,10}(\.\d{1,6})?$/.test(given)) return { wall: Math.round(Number(given) * 1000), offset: 0 };
  if (/^\d{12,13}$/.test(given)) return { wall: Number(given), offset: 0 };
  const iso = ISO.exec(given);
  if (iso) {
    const [, year, month, day, hour, minute, second, fraction, zone] = iso;
    const wall = wallOf(year, month, day, hour, minute, second, fraction);
    return wall === null ? null : { wall, offset: zone === undefined ? null : offsetOf(zone) };
  }
  const other = OTHER.exec(given);
  if (!other) return null;
  const [, first, second_, year = '', hour, minute, second, fraction, half] = other;
  const [day, month] = order === 'month' ? [second_, first] : [first, second_];
  const wall = wallOf(year.length === 2 ? `20${year}` : year, month, day, hourOf(hour, half), minute, second, fraction);
  return wall === null ? null : { wall, offset: null };
}

const offsetOf = (zone: string): number => {
  if (zone === 'Z') return 0;
  const [hours, minutes] = [Number(zone.slice(1, 3)), Number(zone.slice(-2))];
  return (zone.startsWith('-') ? -1 : 1) * (60 * hours + minutes);
};

function hourOf(hour: string | undefined, half: string | undefined): string | undefined {
  if (half === undefined || hour === undefined) return hour;
  const twelve = Number(hour) % 12;
  return String(half.toLowerCase() === 'pm' ? twelve + 12 : twelve);
}

function wallOf(...parts: (string | undefined)[]): number | null {
  const [year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0] = parts.slice(0, 6).map((part) => Number(part ?? 0));
  const ms = Math.round(Number(`0.${parts[6] ?? '0'}`) * 1000);
  const wall = Date.UTC(year, month - 1, day, hour, minute, second, ms);
  const there = new Date(wall);
  // 31 June is 1 July to the machine, and a mistake here.
  return there.getUTCMonth() === month - 1 && there.getUTCDate() === day && hour < 24 && minute < 60 && second < 60 ? wall : null;
}

const DAY_MS = 86_400_000;

/**
 * When a wall clock showed that, ms; `never`: it was set past it (the night in spring). An hour that came twice (in autumn) is the first of
 * both, unless the line before lies past that already. `offsetAt`: how far that clock was ahead of UTC at an instant, ms.
 */
export function instantOf(offsetAt: (at: number) => number, wall: number, previous: number | null): number | 'never' {
  const offsets = new Set([offsetAt(wall - DAY_MS), offsetAt(wall + DAY_MS)]);
  const instants = [...offsets]
    .map((offset) => wall - offset)
    .filter((at) => offsetAt(at) === wall - at)
    .sort((a, b) => a - b);
  const [first, second] = instants;
  if (first === undefined) return 'never';
  return second !== undefined && previous !== null && previous >= first ? second : first;
}
