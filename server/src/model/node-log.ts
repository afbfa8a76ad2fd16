import type { NodeLogEntry } from '@dewpost/contract';
import type { Database, Transaction } from '../database/connect';
import type { NodeEntry } from './entries';

export interface LogLine {
  node: NodeEntry;
  level: NodeLogEntry['level'];
  text: string;
}

/** Lines of one node that are written at once; of more only their number is kept. */
export const LINES_AT_ONCE = 5;

const last = new WeakMap<NodeEntry, { id: number; key: string }>();

/** Text as PostgreSQL and a page can hold it: no control characters, at most 500 long. */
// eslint-disable-next-line no-control-regex
const clean = (text: string): string => text.replace(/[\u0000-\u001f\u007f]/g, '\u00b7').slice(0, 500);

const keyOf = (line: LogLine): string => `${line.level} ${line.text}`;

/**
 * Writes lines to nodes' logs. The same line again only counts up, and of many different ones of a node only the first five are kept with
 * the number of the others: a node that sends nonsense fills no table and keeps nobody waiting.
 */
export async function writeNodeLog(database: Database | Transaction, lines: readonly LogLine[]): Promise<void> {
  const fresh: (LogLine & { times: number })[] = [];
  for (const [node, own] of byNode(lines)) {
    const [first, ...rest] = bounded(node, own);
    if (!first) continue;
    const before = last.get(node);
    if (before?.key === keyOf(first)) {
      const changed = await database('node_log').where({ id: before.id }).increment('times', first.times);
      if (changed > 0) {
        fresh.push(...rest);
        continue;
      }
    }
    fresh.push(first, ...rest);
  }
  if (fresh.length === 0) return;
  const rows = (await database('node_log')
    .insert(fresh.map(({ node, level, text, times }) => ({ node_id: node.id, level, body: text, times })))
    .returning('id')) as { id: number }[];
  fresh.forEach((line, i) => {
    const row = rows[i];
    if (row) last.set(line.node, { id: row.id, key: keyOf(line) });
  });
}

function byNode(lines: readonly LogLine[]): Map<NodeEntry, LogLine[]> {
  const nodes = new Map<NodeEntry, LogLine[]>();
  for (const line of lines) {
    const own = nodes.get(line.node) ?? [];
    nodes.set(line.node, own);
    own.push({ ...line, text: clean(line.text) });
  }
  return nodes;
}

function bounded(node: NodeEntry, lines: readonly LogLine[]): (LogLine & { times: number })[] {
  const counted = new Map<string, LogLine & { times: number }>();
  for (const line of lines) {
    const same = counted.get(keyOf(line));
    if (same) same.times++;
    else counted.set(keyOf(line), { ...line, times: 1 });
  }
  const different = [...counted.values()];
  if (different.length <= LINES_AT_ONCE) return different;
  const kept = different.slice(0, LINES_AT_ONCE);
  const more = different.slice(LINES_AT_ONCE);
  const level = more.some((line) => line.level === 'fault') ? 'fault' : (more[0]?.level ?? 'info');
  return [...kept, { node, level, text: `and ${more.length} more like these at the same time`, times: 1 }];
}

/** A node's log, newest first. */
export async function readNodeLog(database: Database, node: NodeEntry, limit = 200): Promise<NodeLogEntry[]> {
  const rows = (await database('node_log')
    .where({ node_id: node.id })
    .orderBy('id', 'desc')
    .limit(limit)
    .select('at', 'level', 'body', 'times')) as {
    at: Date;
    level: NodeLogEntry['level'];
    body: string;
    times: number;
  }[];
  return rows.map((row) => ({ at: row.at.getTime(), level: row.level, text: row.body, times: row.times }));
}
