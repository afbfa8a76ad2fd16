import type { LiveEvent } from '@dewpost/contract';
import type { Logger } from 'pino';
import type { Database } from '../database/connect';
import { ensureMonths } from '../database/partitions';
import type { Draft } from '../engine/draft';
import { nodeKey, type Effect } from '../engine/effects';
import type { Engine } from '../engine/engine';
import { evaluateReadings } from '../engine/evaluate';
import type { Part } from '../engine/parts';
import { Writes } from '../engine/writes';
import type { HouseEvents } from '../model/house-events';
import type { LogLine } from '../model/node-log';
import { nodeView } from '../model/views';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import { markStatement, type Due, type Marks } from '../record/marks';
import { UnknownOutcome, type Change, type Outcome } from '../store/change';
import { admit } from './admit';
import { emptyVerdict, type Item, type Received, type Verdict } from './batch';
import { convert } from './convert';
import { judge } from './judge';
import { allNew, countStored, readingPart, store } from './store';

export interface PipelineParts {
  database: Database;
  registry: Registry;
  engine: Engine;
  events: HouseEvents;
  log: Logger;
  /** Which quarters of points are due to be rolled up. */
  marks: Marks;
  /** What of these readings is to wait for somebody outside, in the same statement. */
  forwarded(items: readonly Item[], now: number): Part | null;
  /** Lines for nodes' log pages, written behind the readings: nobody waits for them. */
  note(lines: readonly LogLine[]): void;
  /** A node that is not proved yet has sent readings: proved by them, or not (yet). */
  judgeFirst(change: Change, node: NodeEntry, readings: readonly Item[]): Promise<boolean>;
}

/** A batch on its way in, as far as it is decided before anything is written. */
interface Batch {
  messages: readonly Received[];
  verdicts: Verdict[];
  draft: Draft;
  items: readonly Item[];
  heard: readonly NodeEntry[];
  now: number;
}

/**
 * A batch of authenticated messages on its way in. Storing, evaluating, alerts and outbox are one transaction; when the
 * promise resolves, everything in the batch is decided and the senders may be told. Throws `PoisonError` for readings that the
 * database cannot hold, and otherwise what the database throws.
 */
export async function takeIn(parts: PipelineParts, messages: readonly Received[]): Promise<Verdict[]> {
  const batch = await prepared(parts, messages);
  if (mayGoAtOnce(batch)) {
    try {
      await atOnce(parts, batch);
      return batch.verdicts;
    } catch (error) {
      // What came of it is not known, or the database is away: whoever called tries again. Anything else is looked at step by step.
      if (error instanceof UnknownOutcome) throw error;
      return stepByStep(parts, await prepared(parts, messages));
    }
  }
  return stepByStep(parts, batch);
}

async function prepared({ database, engine, registry }: PipelineParts, messages: readonly Received[]): Promise<Batch> {
  const verdicts = messages.map(emptyVerdict);
  const draft = await engine.draft();
  const items = judge(convert(admit(messages, verdicts, draft)), verdicts, draft, registry);
  await ensureMonths(database, items);
  return { messages, verdicts, draft, items, heard: [...new Set(messages.map((message) => message.node))], now: engine.now() };
}

const mayGoAtOnce = ({ items, draft }: Batch): boolean =>
  items.every(({ point }) => point.node.state === 'proved') && allNew(items, draft.newest);

/** Nothing in it can be there already: it is decided first, then written in one statement. */
async function atOnce(parts: PipelineParts, batch: Batch): Promise<void> {
  const { draft, items, heard, now, verdicts } = batch;
  const faults: LogLine[] = [];
  const effects = effectsOf(parts, batch, items, new Set(), faults);
  const writes = new Writes();
  if (items.length > 0) writes.beside(readingPart(items));
  const due = markDue(parts.marks, writes, items, now);
  forward(parts, writes, items, now);
  const stale = noteHeard(writes, heard, now);
  await parts.engine.transactAlone({ draft, effects, now, writes, first: () => events(items, heard) }, (outcome) => {
    outcome.apply(() => parts.marks.marked(due));
    follow(parts, batch, outcome, items, stale, () => [...faults, ...refusalLines(batch.messages, verdicts)]);
    outcome.tell(() => logFaults(parts, faults));
  });
  countStored(items, verdicts);
}

/** Something in it may be there already, or decides whether a node is proved: it is stored first, and only what was new is decided on. */
async function stepByStep(parts: PipelineParts, batch: Batch): Promise<Verdict[]> {
  const { draft, heard, now, verdicts, messages } = batch;
  await parts.engine.transact(draft, now, async (change) => {
    const { items, conflicts } = await store(change.trx, batch.items, verdicts);
    const faults: LogLine[] = [];
    const effects = effectsOf(parts, batch, items, await proveNodes(parts, change, items), faults);
    const writes = new Writes();
    const due = markDue(parts.marks, writes, items, now);
    forward(parts, writes, items, now);
    const stale = noteHeard(writes, heard, now);
    change.apply(() => parts.marks.marked(due));
    follow(parts, batch, change, items, stale, () => [...faults, ...refusalLines(messages, verdicts), ...conflictLines(conflicts)]);
    change.tell(() => logFaults(parts, faults));
    return { value: undefined, effects, writes, first: () => events(items, heard) };
  });
  return verdicts;
}

/** What the readings and the being heard decide; the draft knows the readings after it. */
function effectsOf(
  { registry, engine: { listeningSince } }: PipelineParts,
  { draft, heard, now }: Batch,
  items: readonly Item[],
  provedNow: ReadonlySet<NodeEntry>,
  faults: LogLine[],
): Effect[] {
  for (const item of items) remember(draft, item);
  const fromReadings = evaluateReadings(registry, draft, items, { proved: provedNow, listeningSince }, (threshold, error) => {
    faults.push({
      node: threshold.point.node,
      level: 'fault',
      text: `threshold ${threshold.id} could not be evaluated: ${String(error)}`,
    });
  });
  return [...fromReadings, ...heardAgain(draft, heard, now)];
}

/** What follows once the batch is committed. */
function follow(
  parts: PipelineParts,
  { heard, now }: Batch,
  outcome: Outcome,
  items: readonly Item[],
  noted: readonly NodeEntry[],
  lines: () => LogLine[],
): void {
  outcome.apply(() => {
    for (const { point } of items) if (point.body.kind !== 'derived') point.node.stored++;
    for (const node of heard) {
      node.heardAt = now;
      node.silent = false;
    }
    for (const node of noted) node.heardNotedAt = now;
  });
  outcome.tell(() => parts.note(lines()));
  outcome.tell(() => parts.events.tell('readings', items));
}

/** Marks what these readings make due, in the same statement; gives it. */
function markDue(marks: Marks, writes: Writes, items: readonly Item[], now: number): readonly Due[] {
  const due = marks.due(items, now);
  if (due.length > 0) writes.beside({ name: 'roll_up_due', ...markStatement(due) });
  return due;
}

function forward(parts: PipelineParts, writes: Writes, items: readonly Item[], now: number): void {
  const part = parts.forwarded(items, now);
  if (part) writes.beside(part);
}

const logFaults = (parts: PipelineParts, faults: readonly LogLine[]): void => {
  for (const fault of faults) parts.log.error({ node: fault.node.name }, fault.text);
};

/** How far the time a node was last heard, as the database has it, may lie behind: it only serves a server that starts. */
const HEARD_BEHIND_MS = 10_000;

/** Notes in the database that these were heard, where it has not been told for a while; gives those. */
function noteHeard(writes: Writes, heard: readonly NodeEntry[], now: number): NodeEntry[] {
  const stale = heard.filter((node) => now - node.heardNotedAt >= HEARD_BEHIND_MS);
  if (stale.length > 0)
    writes.beside({
      name: 'heard',
      sql: `update node set heard_at = to_timestamp(? / 1000.0) where id = any(cast(? as int[]))`,
      bindings: [now, `{${stale.map((node) => node.id).join(',')}}`],
    });
  return stale;
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
