import { DATE_ORDERS, readTime, type DateOrder } from './time';

export const SEPARATORS = [',', ';', '\t', '|'] as const;
export type Separator = (typeof SEPARATORS)[number];

/** How a file is written. */
export interface FileFormat {
  readonly separator: Separator;
  readonly decimalComma: boolean;
  readonly dateOrder: DateOrder;
}

const LINES_LOOKED_AT = 4000;

/** Which separator splits the lines of a text into the same number of fields, two at least. */
export function noticeSeparator(text: string): { separator: Separator; evidence: string } {
  const lines = text
    .split(/\r?\n/)
    .filter((line) => line.trim() !== '')
    .slice(0, LINES_LOOKED_AT);
  const judged = SEPARATORS.map((separator) => {
    const counts = lines.map((line) => fieldsIn(line, separator));
    const usual = counts.sort((a, b) => a - b)[Math.floor(counts.length / 2)] ?? 1;
    return { separator, usual, same: counts.filter((count) => count === usual).length };
  });
  // With a decimal comma a comma splits as well as the real one, into more pieces and less evenly.
  const best = judged.filter(({ usual }) => usual > 1).sort((a, b) => b.same - a.same || a.usual - b.usual)[0];
  if (!best) return { separator: ',', evidence: 'one field in every line' };
  return { separator: best.separator, evidence: `${best.usual} fields in ${best.same} of ${lines.length} lines` };
}

function fieldsIn(line: string, separator: string): number {
  let [count, quoted] = [1, false];
  for (const letter of line) {
    if (letter === '"') quoted = !quoted;
    else if (letter === separator && !quoted) count++;
  }
  return count;
}

/** Does a column of texts write its decimals with a comma? Says what speaks for it. */
export function noticeDecimal(cells: readonly string[]): { decimalComma: boolean; evidence: string } {
  const commas = cells.filter((cell) => /^[+-]?\d*,\d+$/.test(cell.trim())).length;
  const points = cells.filter((cell) => /^[+-]?\d*\.\d+$/.test(cell.trim())).length;
  return { decimalComma: commas > points, evidence: `${commas} with a comma, ${points} with a point` };
}

/** Day or month first? A number over 12 tells; without one it is not known, and the day is taken to be first. */
export function noticeDateOrder(cells: readonly string[]): { dateOrder: DateOrder; evidence: string } {
  const pairs = cells.flatMap((cell) => {
    const found = /^(\d{1,2})[-/.](\d{1,2})[-/.]\d{2,4}/.exec(cell.trim());
    return found ? [[Number(found[1]), Number(found[2])] as const] : [];
  });
  if (pairs.length === 0) return { dateOrder: 'year', evidence: 'the year comes first' };
  const [day, month] = [pairs.find(([first]) => first > 12), pairs.find(([, second]) => second > 12)];
  if (month && !day) return { dateOrder: 'month', evidence: `${month[0]}/${month[1]} occurs: month first` };
  if (day && !month) return { dateOrder: 'day', evidence: `${day[0]}.${day[1]}. occurs, no second number over 12` };
  return { dateOrder: 'day', evidence: day ? 'both orders occur: look at the file' : 'no number over 12: it cannot be told' };
}

/** Which column holds the time: the first whose cells are times, however the days are written. */
export function noticeTimeColumn(rows: readonly (readonly string[])[]): number | null {
  const width = Math.max(0, ...rows.map((row) => row.length));
  for (let column = 0; column < width; column++) {
    const cells = rows.map((row) => row[column] ?? '').filter((cell) => cell.trim() !== '');
    const times = cells.filter((cell) => DATE_ORDERS.some((order) => readTime(cell, order) !== null));
    if (times.length > 0 && times.length >= cells.length / 2) return column;
  }
  return null;
}
