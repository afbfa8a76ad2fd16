import { readTime, type DateOrder } from './time';

/** What can be wrong with a line or a cell, and what becomes of it. */
export const LINE_PROBLEMS = {
  'cut-short': 'line cut short: left out',
  'no-time': 'no time in it: left out',
  never: 'an hour that never was (the clock was set forward): left out',
  'before-2000': 'before 2000: left out',
  gone: 'older than the raw readings that are kept: left out',
  ahead: 'in the future: left out',
  'same-time': 'the same time again: the first counts',
  'no-value': 'no value: kept without it',
  'no-number': 'not a number: kept without it',
  'out-of-range': 'outside what the sensor can measure: kept as bad',
  present: 'a reading is there already: it stays',
  'no-point': 'no such point: left out',
} as const;
export type LineProblem = keyof typeof LINE_PROBLEMS;

/** How the lines of a file become readings. */
export interface ReadingPlan {
  readonly timeColumn: number;
  /** How many fields its line of heads has: a line with fewer was cut, and its last figure may have been too. */
  readonly width: number;
  /** Columns that become points, with the key that their readings are to carry. */
  readonly columns: readonly { readonly index: number; readonly key: number }[];
  readonly dateOrder: DateOrder;
  readonly decimalComma: boolean;
  /** When the file's clock showed that, ms. */
  readonly instant: (wall: number, previous: number | null) => number | 'never';
  /** Raw readings before that are not kept, ms. */
  readonly keptFrom: number;
  /** Nothing after this is believed, ms. */
  readonly now: number;
}

export interface ReadLine {
  readonly at: number | null;
  readonly values: readonly { readonly key: number; readonly value: number }[];
  readonly problems: readonly { readonly problem: LineProblem; readonly text: string }[];
}

const OLDEST = Date.UTC(2000, 0, 1);
const EMPTY = /^(|-+|nan|null|none|n\/?a|\?)$/i;

/** The number that a cell says, by the file's decimals; `none`: it says that there is none. Spaces between thousands are taken. */
export function readFigure(text: string, decimalComma: boolean): number | 'none' | 'no number' {
  const given = text.trim().replace(/(?<=\d)[ \u00a0\u2009\u202f](?=\d{3})/g, '');
  if (EMPTY.test(given)) return 'none';
  const plain = decimalComma ? given.replace(',', '.') : given;
  const fits = /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?$/.test(plain) && !(decimalComma && given.includes('.'));
  const value = fits ? Number(plain) : NaN;
  return Number.isFinite(value) ? value : 'no number';
}

/** One line as readings, and what is wrong with it. `previous`: the time of the line before, ms. */
export function readLine(plan: ReadingPlan, cells: readonly string[], previous: number | null): ReadLine {
  const whole = cells.join('; ').slice(0, 80);
  const leftOut = (problem: LineProblem): ReadLine => ({ at: null, values: [], problems: [{ problem, text: whole }] });
  if (cells.length < plan.width) return leftOut('cut-short');
  const said = readTime(cells[plan.timeColumn] ?? '', plan.dateOrder);
  if (said === null) return leftOut('no-time');
  const at = said.offset === null ? plan.instant(said.wall, previous) : said.wall - said.offset * 60_000;
  if (at === 'never') return leftOut('never');
  if (at < OLDEST) return leftOut('before-2000');
  if (at < plan.keptFrom) return leftOut('gone');
  if (at > plan.now) return leftOut('ahead');
  if (at === previous) return { ...leftOut('same-time'), at };
  const values: { key: number; value: number }[] = [];
  const problems: { problem: LineProblem; text: string }[] = [];
  for (const { index, key } of plan.columns) {
    const value = readFigure(cells[index] ?? '', plan.decimalComma);
    if (typeof value === 'number') values.push({ key, value });
    else problems.push({ problem: value === 'none' ? 'no-value' : 'no-number', text: whole });
  }
  return { at, values, problems };
}
