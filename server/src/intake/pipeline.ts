import type { LiveEvent } from '@dewpost/contract';
import type { Logger } from 'pino';
import type { Database, Transaction } from '../database/connect';
import { ensureMonths } from '../database/partitions';
import { Draft } from '../engine/draft';
import { nodeKey, type Effect } from '../engine/effects';
import type { Engine } from '../engine/engine';
import { evaluateReadings } from '../engine/evaluate';
import { writeNodeLog, type LogLine } from '../site/node-log';
import { nodeView, type NodeEntry, type Registry } from '../site/registry';
import { admit } from './admit';
import { emptyVerdict, type Item, type Received, type Verdict } from './batch';
import { convert } from './convert';
import { judge } from './judge';
import { store } from './store';

export interface PipelineParts {
  database: Database;
  registry: Registry;
  engine: Engine;
  log: Logger;
  /** A line on the node's log page about something that was refused. */
  refused(node: NodeEntry, why: string): Promise<void>;
  /** A node that is not proved yet has sent readings: proved by them, or not (yet). */
  judgeFirst(trx: Transaction, node: NodeEntry, readings: readonly Item[]): Promise<boolean>;
}

/**
 * A batch of authenticated messages on its way in. Storing, evaluating, alerts and outbox are one transaction; when the
 * promise resolves, everything in the batch is decided and the senders may be told. Throws what the database throws.
 */
export async function takeIn(parts: PipelineParts, messages: readonly Received[]): Promise<Verdict[]> {
  const { database, registry, engine } = parts;
  const now = Date.now();
  const verdicts = messages.map(emptyVerdict);
  const draft = new Draft(engine.state);

  const admitted = admit(messages, verdicts, draft);
  const converted = convert(admitted);
  const judged = judge(converted, verdicts, draft);
  await ensureMonths(database, judged);

  const heard = [...new Set(messages.map((message) => message.node))];
  const proved: NodeEntry[] = [];
  const faults: LogLine[] = [];
  let stored: Item[] = [];
  const recorded = await engine.transact(async (trx) => {
    const kept = await store(trx, judged, verdicts);
    stored = kept.items;
    for (const item of stored) remember(draft, item);
    proved.push(...(await proveNodes(parts, trx, stored)));
    const fromReadings = evaluateReadings(registry, draft, stored, (threshold, error) => {
      faults.push({
        node: threshold.point.node,
        level: 'fault',
        text: `threshold ${threshold.id} could not be evaluated: ${String(error)}`,
      });
    });
    await writeNodeLog(trx, [...faults, ...refusalLines(messages, verdicts), ...conflictLines(kept.conflicts)]);
    await noteHeard(trx, heard, now);
    return engine.record(trx, draft, [...fromReadings, ...heardAgain(engine, heard, now)], now);
  });

  draft.keep();
  for (const { point } of stored) if (point.body.kind !== 'derived') point.node.stored++;
  for (const node of heard) {
    node.heardAt = now;
    node.silent = false;
  }
  for (const fault of faults) parts.log.error({ node: fault.node.name }, fault.text);
  engine.announce(recorded, tell(stored, heard));
  engine.onReadings(stored);
  return verdicts;
}

/** How far the time a node was last heard, as the database has it, may lie behind: it only serves a server that starts. */
const HEARD_BEHIND_MS = 10_000;

async function noteHeard(trx: Transaction, heard: readonly NodeEntry[], now: number): Promise<void> {
  const stale = heard.filter((node) => now - node.heardNotedAt >= HEARD_BEHIND_MS);
  if (stale.length === 0) return;
  await trx('node')
    .whereIn(
      'id',
      stale.map((node) => node.id),
    )
    .update({ heard_at: new Date(now) });
  for (const node of stale) node.heardNotedAt = now;
}

function remember(draft: Draft, item: Item): void {
  const newest = draft.newest.get(item.point.id);
  if (!newest || item.at > newest.at) draft.newest.set(item.point.id, item);
  if (item.quality === 'good' && item.at > (draft.lastGood.get(item.point.id) ?? 0)) draft.lastGood.set(item.point.id, item.at);
}

/** Nodes that are not proved yet are judged by their first readings. */
async function proveNodes(parts: PipelineParts, trx: Transaction, stored: readonly Item[]): Promise<NodeEntry[]> {
  const measured = stored.filter((item) => item.point.body.kind === 'measured' && item.point.node.state !== 'proved');
  const proved: NodeEntry[] = [];
  for (const node of new Set(measured.map((item) => item.point.node))) {
    const readings = measured.filter((item) => item.point.node === node);
    if (!(await parts.judgeFirst(trx, node, readings))) continue;
    node.state = 'proved';
    proved.push(node);
  }
  return proved;
}

function heardAgain(engine: Engine, heard: readonly NodeEntry[], now: number): Effect[] {
  return heard
    .map((node) => nodeKey('silent', node, null))
    .filter((key) => engine.ledger.isOpen(key))
    .map((key) => ({ kind: 'close-alert', key, at: now, why: 'heard again' }));
}

const refusalLines = (messages: readonly Received[], verdicts: readonly Verdict[]): LogLine[] =>
  verdicts.flatMap((verdict, i) => {
    const node = messages[i]?.node;
    if (!node) return [];
    const lines = verdict.refused.map(({ point, why }): LogLine => ({
      node,
      level: 'refused',
      text: point === null ? why : `${point}: ${why}`,
    }));
    if (verdict.clockOff) lines.push({ node, level: 'warning', text: 'its clock is off: the time of arrival was used' });
    return lines;
  });

const conflictLines = (conflicts: readonly { item: Item; held: number }[]): LogLine[] =>
  conflicts.map(({ item, held }) => ({
    node: item.point.node,
    level: 'warning',
    text: `${item.point.name}: sent again for ${new Date(item.at).toISOString()} with another value (${item.raw}, stored is ${held}): the first counts`,
  }));

function tell(stored: readonly Item[], heard: readonly NodeEntry[]): LiveEvent[] {
  const nodes = heard.map((node): LiveEvent => ({ type: 'node', node: nodeView(node) }));
  if (stored.length === 0) return nodes;
  return [{ type: 'readings', readings: stored.map((item) => [item.point.id, item.at, item.value, item.quality, item.reason]) }, ...nodes];
}
