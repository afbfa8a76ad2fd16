interface TimerRow {
  above: number;
  upTo: number;
  a: number;
  b: number;
  c: number;
}

/** Source: TI TPL5110 datasheet, interval resistor equation and table of coefficients. */
const ROWS: readonly TimerRow[] = [
  { above: 0.999_999, upTo: 5, a: 0.2253, b: -20.7654, c: 570.5679 },
  { above: 5, upTo: 10, a: -0.1284, b: 46.9861, c: -2651.8889 },
  { above: 10, upTo: 100, a: 0.1972, b: -19.345, c: 692.1201 },
  { above: 100, upTo: 1000, a: 0.2617, b: -56.2407, c: 5957.7934 },
  { above: 1000, upTo: 7200, a: 0.3177, b: -136.2571, c: 34522.468 },
];

/** Resistor of a nanopower timer for a wake every `seconds` (1 to 7200), Ω; `null` outside. Source: TI TPL5110 datasheet. */
export function timerResistorOhms(seconds: number): number | null {
  const row = ROWS.find((one) => seconds > one.above && seconds <= one.upTo);
  if (!row) return null;
  return ohmsOf(row, seconds);
}

/** Period that a resistor gives, s, by the coefficients of range `set` 1 to 5: the inverse of `timerResistorOhms`. */
export function timerSeconds(ohms: number, set: number): number | null {
  const row = ROWS[set - 1];
  if (!row || !(ohms > 0)) return null;
  const x = ohms / 100;
  return (row.a * x * x + row.b * x + row.c) / 100;
}

/** Longest period that the timer can be set to, s. */
export const LONGEST_TIMER_SECONDS = 7200;

/** Resistance at a period by one row's own coefficients, Ω. The rising root: the second row's parabola falls beyond its range. */
const ohmsOf = ({ a, b, c }: TimerRow, seconds: number): number => 100 * ((-b + Math.sqrt(b * b - 4 * a * (c - 100 * seconds))) / (2 * a));

/**
 * The period that a fitted resistor really gives, s: by the range that the resistor itself lies in, since periods of two ranges meet on
 * the falling branch of the second. `null` outside 1 to 7200 s.
 */
export function periodOfResistor(ohms: number): number | null {
  const rows = ROWS.map((row, i) => ({ set: i + 1, from: ohmsOf(row, Math.max(1, row.above)), upTo: ohmsOf(row, row.upTo) }));
  const row = rows.findLast((one) => ohms >= one.from * (1 - 1e-6));
  const last = rows.at(-1);
  if (!row || !last || ohms > last.upTo * (1 + 1e-6)) return null;
  return timerSeconds(Math.min(ohms, row.upTo), row.set);
}
