const RFC_3339 = /^(\d{4})-(\d{2})-(\d{2})[Tt ](\d{2}):(\d{2}):(\d{2})(\.\d+)?([Zz]|[+-]\d{2}:\d{2})$/;

/** Unix seconds of an RFC 3339 time, a leap second folded onto the next one; `null` for what is none. Source: RFC 3339 §5.6. */
export function rfc3339Seconds(text: string): number | null {
  const match = RFC_3339.exec(text);
  if (!match) return null;
  const [, year, month, day, hour, minute, second, fraction = '', zone = 'Z'] = match;
  const n = Number;
  if (n(month) < 1 || n(month) > 12 || n(day) < 1 || n(day) > 31 || n(hour) > 23 || n(minute) > 59 || n(second) > 60) return null;
  const base = Date.UTC(n(year), n(month) - 1, n(day), n(hour), n(minute), n(second)) / 1000;
  const sign = zone.startsWith('-') ? -1 : 1;
  const offset = /[Zz]/.test(zone) ? 0 : sign * (n(zone.slice(1, 3)) * 3600 + n(zone.slice(4, 6)) * 60);
  return base - offset + (fraction === '' ? 0 : n(fraction));
}

/** ISO week date `YYYY-Www-d` of a date `YYYY-MM-DD`: week 1 holds the first Thursday. Source: ISO 8601. `null` for what is no date. */
export function isoWeekDate(date: string): string | null {
  const at = Date.parse(`${date}T00:00:00Z`);
  if (!Number.isFinite(at)) return null;
  const weekday = new Date(at).getUTCDay() || 7;
  const thursday = at + (4 - weekday) * 86_400_000;
  const year = new Date(thursday).getUTCFullYear();
  const week = Math.floor((thursday - Date.UTC(year, 0, 1)) / (7 * 86_400_000)) + 1;
  return `${year}-W${String(week).padStart(2, '0')}-${weekday}`;
}
