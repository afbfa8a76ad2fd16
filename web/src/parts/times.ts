const formats = new Map<string, Intl.DateTimeFormat>();

function format(zone: string, options: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const key = `${zone} ${JSON.stringify(options)}`;
  const known = formats.get(key) ?? new Intl.DateTimeFormat('en-GB', { timeZone: zone, hourCycle: 'h23', ...options });
  formats.set(key, known);
  return known;
}

/** Time of day in the site's zone: `14:02`, with seconds `14:02:11`. */
export const timeOfDay = (ms: number, zone: string, seconds = false): string =>
  format(zone, { hour: '2-digit', minute: '2-digit', ...(seconds && { second: '2-digit' }) }).format(ms);

/** Day and time in the site's zone: `Tue 24 Nov 14:02`. */
export const dayAndTime = (ms: number, zone: string): string =>
  `${format(zone, { weekday: 'short', day: 'numeric', month: 'short' }).format(ms).replace(',', '')} ${timeOfDay(ms, zone)}`;

/** The day alone: `Tue 24 Nov`. */
export const day = (ms: number, zone: string): string =>
  format(zone, { weekday: 'short', day: 'numeric', month: 'short' }).format(ms).replace(',', '');
