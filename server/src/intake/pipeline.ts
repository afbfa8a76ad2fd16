import type { LiveEvent } from '@dewpost/contract';
import type { Logger } from 'pino';
import type { Database } from '../database/connect';
import { ensureMonths } from '../database/partitions';
import type { Draft } from '../engine/draft';
import { nodeKey, type Effect } from '../engine/effects';
import type { Engine } from '../engine/engine';
import { evaluateReadings } from '../engine/evaluate';
import type { LogLine } from '../site/node-log';
import { nodeView, type NodeEntry, type Registry } from '../site/registry';
import type { Change } from '../store/change';
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
  /** Lines for nodes' log pages, written behind the readings: nobody waits for them. */
  note(lines: readonly LogLine[]): void;
  /** A node that is not proved yet has sent readings: proved by them, or not (yet). */
  judgeFirst(change: Change, node: NodeEntry, readings: readonly Item[]): Promise<boolean>;
}

/**
 * A batch of authenticated messages on its way in. Storing, evaluating, alerts and outbox are one transaction; when the
 * promise resolves, everything in the batch is decided and the senders may be told. Throws `PoisonError` for readings that the
 * database cannot hold, and otherwise what the database throws.
 */
export async function takeIn(parts: PipelineParts, messages: readonly Received[]): Promise<Verdict[]> {
  const { database, registry, engine } = parts;
  const now = Date.now();
  const verdicts = messages.map(emptyVerdict);
  const draft = await engine.draft();

  const admitted = admit(messages, verdicts, draft);
  const converted = convert(admitted);
  const judged = judge(converted, verdicts, draft);
  await ensureMonths(database, judged);

  const heard = [...new Set(messages.map((message) => message.node))];
  const faults: LogLine[] = [];
  await engine.transact(draft, async (change) => {
    const { items, conflicts } = await store(change.trx, judged, verdicts);
    for (const item of items) remember(draft, item);
    const armedNow = await proveNodes(parts, change, items);
    const fromReadings = evaluateReadings(registry, draft, items, armedNow, (threshold, error) => {
      faults.push({
        node: threshold.point.node,
        level: 'fault',
        text: `threshold ${threshold.id} could not be evaluated: ${String(error)}`,
      });
    });
    await noteHeard(change, heard, now);
    change.apply(() => {
      for (const { point } of items) if (point.body.kind !== 'derived') point.node.stored++;
      for (const node of heard) {
        node.heardAt = now;
        node.silent = false;
      }
    });
    await engine.record(change, draft, [...fromReadings, ...heardAgain(draft, heard, now)], now, () => events(items, heard));
    change.tell(() => {
      for (const fault of faults) parts.log.error({ node: fault.node.name }, fault.text);
      parts.note([...faults, ...refusalLines(messages, verdicts), ...conflictLines(conflicts)]);
    });
    change.tell(() => engine.onReadings(items));
  });
  return verdicts;
}

/** How far the time a node was last heard, as the database has it, may lie behind: it only serves a server that starts. */
const HEARD_BEHIND_MS = 10_000;

async function noteHeard(change: Change, heard: readonly NodeEntry[], now: number): Promise<void> {
  const stale = heard.filter((node) => now - node.heardNotedAt >= HEARD_BEHIND_MS);
  if (stale.length === 0) return;
  await change
    .trx('node')
    .whereIn(
      'id',
      stale.map((node) => node.id),
    )
    .update({ heard_at: new Date(now) });
  change.apply(() => {
    for (const node of stale) node.heardNotedAt = now;
  });
}

function remember(draft: Draft, item: Item): void {
  const newest = draft.newest.get(item.point.id);
  if (!newest || item.at > newest.at) draft.newest.set(item.point.id, item);
  if (item.quality === 'good' && item.at > (draft.lastGood.get(item.point.id) ?? 0)) draft.lastGood.set(item.point.id, item.at);
}

/** Nodes that are not proved yet are judged by their first readings; gives those that are proved now. */
async function proveNodes(parts: PipelineParts, change: Change, stored: readonly Item[]): Promise<ReadonlySet<NodeEntry>> {
  const measured = stored.filter((item) => item.point.body.kind === 'measured' && item.point.node.state !== 'proved');
  const proved = new Set<NodeEntry>();
  for (const node of new Set(measured.map((item) => item.point.node))) {
    const readings = measured.filter((item) => item.point.node === node);
    if (await parts.judgeFirst(change, node, readings)) proved.add(node);
  }
  return proved;
}

function heardAgain(draft: Draft, heard: readonly NodeEntry[], now: number): Effect[] {
  return heard
    .map((node) => nodeKey('silent', node, null))
    .filter((key) => draft.isOpen(key))
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

function events(stored: readonly Item[], heard: readonly NodeEntry[]): LiveEvent[] {
  const nodes = heard.map((node): LiveEvent => ({ type: 'node', node: nodeView(node) }));
  if (stored.length === 0) return nodes;
  return [{ type: 'readings', readings: stored.map((item) => [item.point.id, item.at, item.value, item.quality, item.reason]) }, ...nodes];
}
