import type { Alert, AlertLoad } from '@dewpost/contract';
import { alertLoad, type Severity } from '@dewpost/core/alarm';
import type { Database } from '../database/connect';

const DAY_MS = 86_400_000;
/** Origins that are named; a list of all would be the journal again. */
const NAMED = 20;

interface Row {
  kind: Alert['kind'];
  threshold_id: number | null;
  node: string;
  point_id: number | null;
  title: string;
  severity: Severity;
  tripped_at: Date;
  cleared_at: Date | null;
}

/** All versions of a rule are one origin; what is built in counts by node and point. */
const originOf = (row: Row): string =>
  row.threshold_id === null ? `${row.kind} ${row.node} ${row.point_id ?? ''}` : `rule ${row.threshold_id}`;

/** How many alerts there were within so many days until `until` (ms), and who they came from. Notices and switching without an alert do not count. */
export async function countAlerts(database: Database, days: number, until: number): Promise<AlertLoad> {
  const asked = until - days * DAY_MS;
  const rows = (await database('alert as a')
    .join('node as n', 'n.id', 'a.node_id')
    .where('a.journal', false)
    .where((counted) => void counted.where('a.tripped_at', '>=', new Date(asked)).orWhereNull('a.cleared_at'))
    .orderBy(['a.tripped_at', 'a.id'])
    .select('a.kind', 'a.threshold_id', 'n.name as node', 'a.point_id', 'a.title', 'a.severity', 'a.tripped_at', 'a.cleared_at')) as Row[];
  const first = (await database('alert').where({ journal: false }).min('tripped_at as at').first()) as { at: Date | null } | undefined;
  // A day at least: three alerts of the first five minutes are no thousand a day.
  const from = Math.max(asked, Math.min(first?.at?.getTime() ?? asked, until - DAY_MS));
  const newest = new Map(rows.map((row) => [originOf(row), row]));
  const { origins, ...load } = alertLoad(
    rows.map((row) => ({
      origin: originOf(row),
      severity: row.severity,
      trippedAt: row.tripped_at.getTime(),
      clearedAt: row.cleared_at?.getTime() ?? null,
    })),
    from,
    until,
  );
  return {
    ...{ from, until, ...load },
    origins: origins.slice(0, NAMED).flatMap(({ origin, ...counts }) => {
      const row = newest.get(origin);
      return row ? [{ kind: row.kind, threshold: row.threshold_id, node: row.node, point: row.point_id, title: row.title, ...counts }] : [];
    }),
    others: Math.max(0, origins.length - NAMED),
  };
}
