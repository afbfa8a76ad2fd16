import { calibrate, type Calibration } from '@dewpost/contract';
import { parse } from 'csv-parse/sync';
import { stringify } from 'csv-stringify/sync';
import type { Registry } from '../model/registry';
import { ProblemError } from '../problem/problem';
import type { Database } from '../database/connect';
import { recordsOf } from './calibration-rows';
import type { Calibrations } from './calibrations';

const HEADS = [
  'node',
  'point',
  'version',
  'method',
  'captures',
  'law',
  'reference',
  'from',
  'due months',
  'recipe',
  'note',
  'made by',
  'made at',
  'withdrawn',
] as const;
type Cells = Record<(typeof HEADS)[number], string>;
const MOST_ROWS = 2000;
const MONTH_MS = 30.4375 * 86_400_000;

/** What became of a row: the version that it is kept as, or why it is not. */
export interface RowTaken {
  row: number;
  node: string;
  point: string;
  version: number | null;
  refused: string | null;
}

/** Calibrations as a table, a line each: what they were made from, so that they can be made again from it. */
export async function calibrationsCsv(database: Database): Promise<string> {
  const records = await recordsOf(database, MOST_ROWS);
  const rows = records.map((one): Cells => ({
    ...{ node: one.node, point: one.name, version: String(one.version), method: one.method },
    captures: one.captures.map(({ raw, reference }) => `${raw}=${reference}`).join(' '),
    law: one.law ? JSON.stringify(one.law) : '',
    // What it was unsure by is at least what its reference was: taken in again it is no surer than it was.
    reference: String(one.uncertainty),
    from: new Date(one.from).toISOString(),
    'due months': one.dueAt === null ? '' : String(Math.max(1, Math.round((one.dueAt - one.madeAt) / MONTH_MS))),
    ...{ recipe: one.recipe ?? '', note: one.note, 'made by': one.madeBy, 'made at': new Date(one.madeAt).toISOString() },
    withdrawn: one.withdrawnAt === null ? '' : new Date(one.withdrawnAt).toISOString(),
  }));
  return stringify([[...HEADS], ...rows.map((row) => HEADS.map((head) => row[head]))], { record_delimiter: 'windows' });
}

/**
 * Takes a table of calibrations in, a row after the other as a maker would make them: fitted anew from what was captured. What stands there
 * already from the same time and captures, and what was withdrawn, is passed over. Throws 422 where it is no such table.
 */
export async function takeCalibrations(registry: Registry, calibrations: Calibrations, text: string, by: string): Promise<RowTaken[]> {
  const rows = rowsOf(text);
  const taken: RowTaken[] = [];
  for (const [i, cells] of rows.entries()) {
    const { node = '', point: name = '' } = cells;
    const result = await takeRow(registry, calibrations, cells, by);
    taken.push({
      row: i + 2,
      node,
      point: name,
      ...(typeof result === 'string' ? { version: null, refused: result } : { version: result, refused: null }),
    });
  }
  return taken;
}

function rowsOf(text: string): Partial<Cells>[] {
  let rows: Partial<Cells>[];
  try {
    rows = parse(text, { bom: true, columns: true, skip_empty_lines: true, relax_column_count: true, delimiter: [',', ';', '\t'] });
  } catch (error) {
    throw new ProblemError(422, 'Not a table', `The file cannot be read as CSV: ${error instanceof Error ? error.message : String(error)}`);
  }
  const [first] = rows;
  const missing = (['node', 'point', 'method', 'captures'] as const).filter((head) => first?.[head] === undefined);
  if (missing.length > 0)
    throw new ProblemError(
      422,
      'Not a table',
      `A table of calibrations has the heads ${HEADS.join(', ')}: here ${missing.join(' and ')} is missing.`,
    );
  if (rows.length > MOST_ROWS) throw new ProblemError(413, 'Too many', `At most ${MOST_ROWS} rows: split the table.`);
  return rows;
}

/** The version that a row is kept as; or why it is not, in words. */
async function takeRow(registry: Registry, calibrations: Calibrations, cells: Partial<Cells>, by: string): Promise<number | string> {
  const point = registry.nodes.get(cells.node ?? '')?.points.get(cells.point ?? '');
  if (!point) return 'there is no such point';
  if (cells.withdrawn) return 'it was withdrawn: it stays where it was made';
  const body = bodyOf(cells);
  if (typeof body === 'string') return body;
  const read = calibrate.add.body.safeParse(body);
  if (!read.success) return read.error.issues.map(({ path, message }) => `${path.join('.')}: ${message}`).join('; ');
  const there = (await calibrations.list(point)).find((one) => one.withdrawnAt === null && isSame(one, body));
  if (there) return `it is there already, as version ${there.version}`;
  try {
    return (await calibrations.add(point, read.data, by)).version;
  } catch (error) {
    if (error instanceof ProblemError) return error.message;
    throw error;
  }
}

const isSame = (
  one: Calibration,
  { method, from, captures }: { method: string; from?: string; captures: Calibration['captures'] },
): boolean =>
  one.method === method &&
  (from === undefined || one.from === Date.parse(from)) &&
  one.captures.length === captures.length &&
  one.captures.every(({ raw, reference }, i) => raw === captures[i]?.raw && reference === captures[i].reference);

function bodyOf(cells: Partial<Cells>) {
  const captures = (cells.captures ?? '')
    .split(/\s+/)
    .filter(Boolean)
    .map((pair) => pair.split('=').map(Number));
  if (captures.some((pair) => pair.length !== 2 || pair.some((value) => !Number.isFinite(value))))
    return 'captures are raw=reference, apart by spaces';
  let law: unknown = null;
  try {
    if (cells.law) law = JSON.parse(cells.law);
  } catch {
    return 'its law is not JSON';
  }
  if (cells.from && !Number.isFinite(Date.parse(cells.from))) return 'from is no time as 2026-11-28T12:00:00Z';
  return {
    ...{ method: cells.method ?? '', law, note: cells.note ?? '', recipe: cells.recipe === '' ? null : (cells.recipe ?? null) },
    captures: captures.map(([raw = NaN, reference = NaN]) => ({ raw, reference })),
    reference: Number(cells.reference ?? 0) || 0,
    dueMonths: cells['due months'] ? Number(cells['due months']) : null,
    ...(cells.from ? { from: cells.from } : {}),
  };
}
