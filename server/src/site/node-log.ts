import type { NodeLogEntry } from '@dewpost/contract';
import type { Database, Transaction } from '../database/connect';
import type { NodeEntry } from './registry';

export interface LogLine {
  node: NodeEntry;
  level: NodeLogEntry['level'];
  text: string;
}

const last = new WeakMap<NodeEntry, { id: number; key: string }>();

/** Text as PostgreSQL and a page can hold it: no control characters, at most 500 long. */
// eslint-disable-next-line no-control-regex
const clean = (text: string): string => text.replace(/[\u0000-\u001f\u007f]/g, '\u00b7').slice(0, 500);

/** Writes lines to nodes' logs; the same line again only counts up, so that a node that repeats itself fills no table. */
export async function writeNodeLog(database: Database | Transaction, lines: readonly LogLine[]): Promise<void> {
  const counted = new Map<string, LogLine & { times: number }>();
  for (const line of lines) {
    const text = clean(line.text);
    const key = `${line.node.id} ${line.level} ${text}`;
    const before = counted.get(key);
    if (before) before.times++;
    else counted.set(key, { ...line, text, times: 1 });
  }
  for (const [key, line] of counted) {
    const before = last.get(line.node);
    if (before?.key === key) {
      const changed = await database('node_log').where({ id: before.id }).increment('times', line.times);
      if (changed > 0) continue;
    }
    const [row] = (await database('node_log')
      .insert({ node_id: line.node.id, level: line.level, body: line.text, times: line.times })
      .returning('id')) as { id: number }[];
    if (row) last.set(line.node, { id: row.id, key });
  }
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
