import { type csvChangeSchema, thresholdRuleSchema, type ThresholdRuleBody } from '@dewpost/contract';
import { readDecimal } from '@dewpost/core/quantity';
import { parse } from 'csv-parse/sync';
import { stringify } from 'csv-stringify/sync';
import type * as z from 'zod';
import type { Registry } from '../model/registry';
import type { ThresholdEntry } from '../model/entries';
import { ProblemError } from '../problem/problem';
import type { Thresholds } from './thresholds';

type Change = z.output<typeof csvChangeSchema>;
/** Columns of the table; those that say which rule it is, or whose, are read and never changed. */
const COLUMNS = [
  ...['id', 'version', 'node', 'point', 'unit', 'side', 'setpoint', 'deadband', 'onDelaySeconds', 'offDelaySeconds', 'severity'],
  ...['consequences', 'act', 'output', 'judges'],
] as const;
const MOST_ROWS = 5000;

/** What begins like a formula is text to a spreadsheet with an apostrophe in front. */
const safe = (text: string): string => (/^[=+@\t\r]|^-(?![\d.])/.test(text) ? `'${text}` : text);

const outputName = (registry: Registry, id: number | null): string => {
  const output = id === null ? undefined : registry.points.get(id);
  return output ? `${output.node.name}/${output.name}` : '';
};

const rowOf = (registry: Registry, { id, version, point, rule }: ThresholdEntry): string[] => [
  ...[String(id), String(version), point.node.name, point.name, point.body.unit, rule.side, String(rule.setpoint), String(rule.deadband)],
  ...[String(rule.onDelaySeconds), String(rule.offDelaySeconds), rule.severity, rule.consequences.join(' '), rule.act],
  outputName(registry, rule.output),
  // In what the setpoint stands: read, and never changed.
  rule.judges?.kind ?? 'value',
];

/** Rules in force as CSV (RFC 4180), a row each. */
export const thresholdsCsv = (registry: Registry): string =>
  stringify([[...COLUMNS], ...[...registry.thresholds.values()].map((entry) => rowOf(registry, entry).map(safe))], {
    record_delimiter: 'windows',
  });

interface Row {
  readonly line: number;
  readonly cells: Readonly<Record<string, string>>;
}

function rowsOf(text: string): Row[] {
  try {
    const records: { record: Record<string, string>; info: { lines: number } }[] = parse(text, {
      columns: true,
      bom: true,
      trim: true,
      info: true,
      skip_empty_lines: true,
      relax_column_count: false,
      max_record_size: 10_000,
      delimiter: [',', ';', '\t'],
    });
    if (records.length > MOST_ROWS) throw new Error(`more than ${MOST_ROWS} rows`);
    return records.map(({ record, info }) => ({ line: info.lines, cells: record }));
  } catch (error) {
    throw new ProblemError(
      422,
      'No table',
      `This is no table that can be read: ${error instanceof Error ? error.message : String(error)}.`,
    );
  }
}

/** What one row asks of its rule, or in words why it cannot be. */
function wantedOf(registry: Registry, entry: ThresholdEntry, cells: Row['cells']): ThresholdRuleBody | string {
  const text = (name: string): string => (cells[name] ?? '').replace(/^'/, '');
  const { point, rule, version } = entry;
  if (text('unit') !== point.body.unit)
    return `its unit is ${point.body.unit || 'none'}, the row says ${text('unit') || 'none'}: figures of another unit are not taken`;
  if (text('node') !== point.node.name || text('point') !== point.name)
    return `rule ${entry.id} stands on ${point.node.name}/${point.name}, the row says another`;
  if (text('version') !== String(version))
    return `version ${version} is in force, the row was of ${text('version') || 'none'}: take the table out anew`;
  const figures: Record<string, number> = {};
  for (const name of ['setpoint', 'deadband', 'onDelaySeconds', 'offDelaySeconds']) {
    const cell = text(name);
    const figure = readDecimal(cell);
    if (figure === 'comma') return `${name} has a decimal comma: write ${cell.replace(',', '.')}`;
    if (figure === null) return `${name} is no number: “${cell.slice(0, 20)}”`;
    figures[name] = figure;
  }
  const named = text('output');
  const [node = '', name = ''] = named.split('/');
  const output = named === '' ? null : registry.nodes.get(node)?.points.get(name)?.id;
  if (output === undefined) return `there is no output ${named.slice(0, 60)}`;
  // What the table has no column for stays as it is: words, route, hours, what it waits for, what it is to move.
  const parsed = thresholdRuleSchema.safeParse({
    ...rule,
    ...figures,
    output,
    side: text('side'),
    severity: text('severity'),
    act: text('act') || 'on',
    consequences: text('consequences').split(/\s+/).filter(Boolean),
  });
  return parsed.success ? parsed.data : parsed.error.issues.map(({ path, message }) => `${path.join('.')}: ${message}`).join('; ');
}

const same = (a: ThresholdRuleBody, b: ThresholdRuleBody): boolean =>
  (['side', 'setpoint', 'deadband', 'onDelaySeconds', 'offDelaySeconds', 'severity', 'act', 'output'] as const).every(
    (key) => a[key] === b[key],
  ) && [...(a.consequences ?? [])].sort().join() === [...(b.consequences ?? [])].sort().join();

/**
 * Takes a table of rules as it came out and was edited: changed rows become new versions, all others stay. `preview`: only says what would
 * change. A row that cannot be taken is said by its line, and then nothing of the table is.
 */
export async function takeThresholdsCsv(
  parts: { registry: Registry; thresholds: Thresholds },
  text: string,
  by: string,
  preview: boolean,
): Promise<Change[]> {
  const { registry, thresholds } = parts;
  const wanted: { id: number; from: number; body: ThresholdRuleBody }[] = [];
  const seen = new Set<number>();
  const changes = rowsOf(text).map(({ line, cells }): Change => {
    const id = /^\d{1,9}$/.test(cells['id'] ?? '') ? Number(cells['id']) : null;
    const entry = id === null ? undefined : registry.thresholds.get(id);
    const refused = (why: string): Change => ({ line, id, what: 'refused', text: why });
    if (!entry || id === null)
      return refused(`there is no rule ${(cells['id'] ?? '').slice(0, 20) || 'without a number'} in force: rules are made in the page`);
    if (seen.has(id)) return refused(`rule ${id} stands in the table twice`);
    seen.add(id);
    const body = wantedOf(registry, entry, cells);
    if (typeof body === 'string') return refused(body);
    if (same(body, entry.rule)) return { line, id, what: 'unchanged', text: '' };
    const problem = thresholds.problemOf(entry, body);
    if (problem !== null) return refused(problem);
    wanted.push({ id, from: entry.version, body });
    return {
      line,
      id,
      what: 'changed',
      text: `${entry.point.node.title}, ${entry.point.body.label}: ${entry.rule.setpoint} → ${body.setpoint} ${entry.point.body.unit}`.trim(),
    };
  });
  // All in one change: a table is taken whole, or somebody was faster at a row and none of it is.
  if (!preview && wanted.length > 0 && !changes.some(({ what }) => what === 'refused'))
    await thresholds.changeAll(wanted, by, 'in the table of rules');
  return changes;
}
