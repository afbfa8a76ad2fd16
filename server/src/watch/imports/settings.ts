import type { ImportSettings } from '@dewpost/contract';
import {
  instantOf,
  noticeDateOrder,
  noticeDecimal,
  noticeSeparator,
  noticeTimeColumn,
  readTime,
  type ReadingPlan,
} from '@dewpost/core/import';
import { parse } from 'csv-parse/sync';
import { IANAZone } from 'luxon';
import type { PointEntry } from '../../model/entries';
import type { Registry } from '../../model/registry';
import { ProblemError } from '../../problem/problem';

export interface Noticed {
  settings: ImportSettings;
  evidence: { separator: string; decimal: string; order: string };
  columns: string[];
  sample: string[][];
  /** It is a table as we export it: a row a reading, with its node and point. */
  ours: boolean;
}

const SAMPLE_LINES = 4000;
const SHOWN = 3;
/** The heads of a table as we export it. */
const OURS = ['node', 'point', 'time', 'value'] as const;

export const isOurs = (columns: readonly string[]): boolean => OURS.every((name) => columns.includes(name));

const timeColumns = (columns: readonly string[]): number => columns.filter((name) => name.trim().toLowerCase() === 'time').length;

/** What the first part of a file tells of how it is written. Throws 422 where there is no table in it. */
export function notice(text: string): Noticed {
  const { separator, evidence } = noticeSeparator(text);
  let rows: string[][];
  try {
    rows = parse(text, {
      delimiter: separator,
      bom: true,
      relax_column_count: true,
      relax_quotes: true,
      skip_empty_lines: true,
      to: SAMPLE_LINES,
    });
  } catch (error) {
    throw new ProblemError(422, 'Not a table', `The file cannot be read as CSV: ${error instanceof Error ? error.message : String(error)}`);
  }
  const [columns, ...body] = rows;
  if (!columns || body.length === 0)
    throw new ProblemError(422, 'Not a table', 'A table has a line of heads and lines of readings: this file has none.');
  // Two that are called so are never chosen between by themselves.
  const timeColumn = timeColumns(columns) > 1 ? null : noticeTimeColumn(body);
  const cells = body.flatMap((row) => row.filter((_, i) => i !== timeColumn));
  const decimal = noticeDecimal(cells);
  const order = noticeDateOrder(timeColumn === null ? [] : body.map((row) => row[timeColumn] ?? ''));
  return {
    settings: { separator, decimalComma: decimal.decimalComma, dateOrder: order.dateOrder, timeColumn, clock: null, map: [] },
    evidence: { separator: evidence, decimal: decimal.evidence, order: order.evidence },
    columns,
    sample: body.slice(0, SHOWN),
    ours: isOurs(columns),
  };
}

/** `node/point` as the point it names; `null`: there is none that is recorded. What is computed here is taken from no file. */
export function pointOf(registry: Registry, named: string): PointEntry | null {
  const [node = '', point = ''] = named.split('/');
  const found = registry.nodes.get(node)?.points.get(point);
  return found && found.body.kind !== 'switched' && found.node.kind !== 'computed' ? found : null;
}

/** What has to be said before these can be kept, in words. */
export function asksOf(
  registry: Registry,
  settings: ImportSettings,
  columns: readonly string[],
  sample: readonly (readonly string[])[],
): string[] {
  const asks: string[] = [];
  const { timeColumn, dateOrder, clock, map } = settings;
  if (timeColumn === null)
    asks.push(
      timeColumns(columns) > 1
        ? 'Two columns are called time: say which one counts.'
        : 'Say which column holds the time: none of them looks like it.',
    );
  // A line that was cut says nothing of the clock.
  const whole = sample.filter((row) => row.length >= columns.length);
  const sure =
    timeColumn !== null && whole.length > 0 && whole.every((row) => (readTime(row[timeColumn] ?? '', dateOrder)?.offset ?? null) !== null);
  if (clock === null && !sure) asks.push('Say which clock the file kept: its times do not.');
  if (map.length === 0 && !isOurs(columns)) asks.push('Say which column becomes which point.');
  const named = map.map(({ point }) => point);
  for (const point of new Set(named)) {
    if (pointOf(registry, point) === null) asks.push(`There is no point ${point} that is recorded.`);
    if (named.filter((other) => other === point).length > 1) asks.push(`Two columns become ${point}: leave one out.`);
  }
  return asks;
}

/** How far a clock was ahead of UTC, ms; looked up once a quarter of an hour. */
export function clockOf(clock: string | null, zone: string): (at: number) => number {
  if (clock !== 'site') {
    const said = /^([+-])(\d{2}):(\d{2})$/.exec(clock ?? '');
    const ahead = said ? (said[1] === '-' ? -1 : 1) * (Number(said[2]) * 60 + Number(said[3])) * 60_000 : 0;
    return () => ahead;
  }
  const place = IANAZone.create(zone);
  const known = new Map<number, number>();
  return (at) => {
    const quarter = Math.floor(at / 900_000);
    let offset = known.get(quarter);
    if (offset === undefined) known.set(quarter, (offset = place.offset(quarter * 900_000) * 60_000));
    return offset;
  };
}

/** How the lines become readings; columns by the number of their point. */
export function planOf(registry: Registry, settings: ImportSettings, width: number, now: number): ReadingPlan {
  const ahead = clockOf(settings.clock, registry.timezone);
  return {
    timeColumn: settings.timeColumn ?? 0,
    width,
    columns: settings.map.flatMap(({ column, point }) => {
      const found = pointOf(registry, point);
      return found ? [{ index: column, key: found.id }] : [];
    }),
    dateOrder: settings.dateOrder,
    decimalComma: settings.decimalComma,
    instant: (wall, previous) => instantOf(ahead, wall, previous),
    keptFrom: registry.rawFrom,
    now,
  };
}
