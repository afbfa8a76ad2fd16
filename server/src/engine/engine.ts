import type { Alert, LiveEvent, Relay, Threshold } from '@dewpost/contract';
import type { DoneMessage } from '@dewpost/core/wire';
import { formatDuration } from '@dewpost/core/quantity';
import type { Logger } from 'pino';
import type { Database, Transaction } from '../database/connect';
import type { Hub } from '../live/hub';
import type { Outbox } from '../outbox/outbox';
import { freshForMs, nodeView, type NodeEntry, type PointEntry, type Registry, type ThresholdEntry } from '../site/registry';
import { Draft, emptyEngineState, parseEngineState, type EngineState } from './draft';
import { nodeKey, thresholdKey, type Effect } from './effects';
import { evaluateTick } from './evaluate';
import { Ledger, type Recorded } from './ledger';
import { settleOutputs } from './settle';

/** Live ticks run this far behind the clock: readings on their way are not overtaken. */
const WATERMARK_LAG_MS = 2000;

/**
 * Runs `core/alarm` and the outputs' demands for one shard. Everything that changes its state goes through `work`, one at
 * a time: batches of readings, ticks, changed thresholds, switching by hand, read-backs.
 */
export class Engine {
  state: EngineState = emptyEngineState();
  readonly ledger: Ledger;
  /** Called with readings that were committed, for who waits for one. */
  onReadings: (readings: readonly { point: PointEntry; value: number; at: number }[]) => void = () => undefined;
  private queue: Promise<unknown> = Promise.resolve();
  private timer: NodeJS.Timeout | null = null;
  private startedAt = Date.now();

  constructor(
    private readonly parts: {
      database: Database;
      registry: Registry;
      hub: Hub;
      outbox: Outbox;
      log: Logger;
      shard: number;
      tickMs: number;
      handsetUrl: string | null;
    },
  ) {
    this.ledger = new Ledger(parts.registry, parts.handsetUrl);
  }

  async load(): Promise<void> {
    const { database, shard } = this.parts;
    this.state = parseEngineState(
      (await database('engine_state').where({ shard }).select('key', 'state')) as { key: string; state: string }[],
    );
    const newest = (await database('point as p')
      .joinRaw('join lateral (select at, value, quality from reading r where r.point_id = p.id order by at desc limit 1) r on true')
      .select('p.id', 'r.at', 'r.value', 'r.quality')) as { id: number; at: Date; value: number; quality: number }[];
    for (const point of newest) {
      const quality = (['good', 'suspect', 'bad'] as const)[point.quality] ?? 'bad';
      this.state.newest.set(point.id, { at: point.at.getTime(), value: point.value, quality, reason: null });
      if (quality === 'good') this.state.lastGood.set(point.id, point.at.getTime());
    }
    await this.ledger.load(database);
    this.startedAt = Date.now();
  }

  start(): void {
    this.timer = setInterval(() => {
      this.work(() => this.tick(Date.now())).catch((error: unknown) => this.parts.log.error({ err: error }, 'the engine tick failed'));
    }, this.parts.tickMs);
  }

  async stop(): Promise<void> {
    if (this.timer) clearInterval(this.timer);
    await this.queue;
  }

  /** Runs one piece of work after all before it; a failure is the caller's and holds up nobody. */
  work<T>(piece: () => Promise<T>): Promise<T> {
    const result = this.queue.then(piece);
    this.queue = result.catch(() => undefined);
    return result;
  }

  /**
   * Records a draft and what was decided, with the outputs settled after it, in this transaction. Only the states that
   * changed are written.
   */
  async record(trx: Transaction, draft: Draft, effects: readonly Effect[], now: number): Promise<Recorded> {
    const { registry } = this.parts;
    const recorded = await this.ledger.record(trx, effects, now);
    const settled = await this.ledger.record(trx, settleOutputs(registry, draft, this.ledger, now, this.startedAt), now);
    await this.keepState(trx, draft);
    const relays = [...recorded.relays, ...settled.relays];
    // A demand that ended or began without a command changes what the page says of its output all the same.
    for (const effect of effects) {
      if (effect.kind !== 'end-demand' && effect.kind !== 'start-demand') continue;
      const output = effect.kind === 'end-demand' ? effect.output : effect.demand.output;
      if (!relays.some((relay) => relay.point === output.id))
        relays.push(await this.ledger.saveRelay(trx, output, this.ledger.relayView(output, now)));
    }
    return { alerts: [...recorded.alerts, ...settled.alerts], relays, outbox: [...recorded.outbox, ...settled.outbox] };
  }

  private async keepState(trx: Transaction, draft: Draft): Promise<void> {
    const changes = draft.changes();
    if (changes.length === 0) return;
    await trx.raw(
      `insert into engine_state (shard, key, state) select ?, key, state from unnest(?::text[], ?::text[]) as t(key, state)
       on conflict (shard, key) do update set state = excluded.state`,
      [this.parts.shard, changes.map((change) => change.key), changes.map((change) => change.state)],
    );
  }

  /** Acts on and tells what a committed transaction recorded. */
  announce(recorded: Recorded, more: readonly LiveEvent[] = []): void {
    this.parts.outbox.dispatch(recorded.outbox);
    this.parts.hub.publish([
      ...more,
      ...recorded.alerts.map((alert): LiveEvent => ({ type: 'alert', alert })),
      ...recorded.relays.map((relay): LiveEvent => ({ type: 'relay', relay })),
    ]);
  }

  /** A transaction of the engine: rolled back, the ledger is read anew so that memory and database agree. */
  async transact<T>(run: (trx: Transaction) => Promise<T>): Promise<T> {
    const told = this.ledger.told();
    try {
      return await this.parts.database.transaction(run);
    } catch (error) {
      await this.ledger.load(this.parts.database, told);
      throw error;
    }
  }

  /** Records effects that came from outside the readings (a hand, a changed threshold) and announces them. */
  apply(effects: readonly Effect[], within?: (trx: Transaction) => Promise<void>): Promise<Recorded> {
    return this.work(async () => {
      const now = Date.now();
      const draft = new Draft(this.state);
      const recorded = await this.transact(async (trx) => {
        await within?.(trx);
        return this.record(trx, draft, effects, now);
      });
      draft.keep();
      this.announce(recorded);
      return recorded;
    });
  }

  /** Puts a new version of a threshold, or none, in force: the old one's alert is closed and the new one starts from normal. */
  changeThreshold(id: number, why: string, change: (trx: Transaction) => Promise<void>): Promise<void> {
    return this.work(async () => {
      const before = this.parts.registry.thresholds.get(id);
      const now = Date.now();
      const draft = new Draft(this.state);
      const effects: Effect[] = [{ kind: 'close-alert', key: thresholdKey(id), at: now, why }];
      const output = before?.rule.output ? this.parts.registry.points.get(before.rule.output) : undefined;
      if (output) effects.push({ kind: 'end-demand', output, source: 'threshold', threshold: id, at: now, why });
      draft.setThreshold(id, { phase: 'normal', since: null, lastAt: null, lastValue: null, watermark: null });
      const recorded = await this.transact(async (trx) => {
        await change(trx);
        return this.record(trx, draft, effects, now);
      });
      draft.keep();
      this.announce(recorded);
    });
  }

  thresholdView(entry: ThresholdEntry): Threshold {
    const phase = this.state.thresholds.get(entry.id)?.phase ?? 'normal';
    return { id: entry.id, point: entry.point.id, version: entry.version, ...entry.rule, phase };
  }

  /** What a node read back from an output. */
  readBack(node: NodeEntry, done: DoneMessage): Promise<void> {
    return this.work(async () => {
      const output = node.points.get(done.point);
      if (!output?.body.output) return;
      const now = Date.now();
      const told = this.ledger.commands.get(output.id);
      const proves = done.readBack === 'contact' || done.readBack === 'load';
      const stuck = done.result === 'done' && done.state === true && told?.on === false && proves;
      const key = nodeKey('output-stuck', node, output);
      const effects: Effect[] = stuck
        ? [stuckAlert(key, node, output, now)]
        : done.state === false
          ? [{ kind: 'close-alert', key, at: now, why: 'reads back off' }]
          : [];
      const before = this.ledger.relays.get(output.id);
      const since = done.lastedMs !== undefined ? now - done.lastedMs : before?.state === done.state ? (before?.since ?? now) : now;
      this.ledger.relays.set(output.id, {
        ...this.ledger.relayView(output, now),
        state: done.state,
        readAt: now,
        since,
        result: done.result,
        reason: done.reason,
        heldUntil: done.waitMs === undefined ? null : now + done.waitMs,
      });
      if (this.ledger.waiting.get(output.id)?.id === done.id) this.ledger.waiting.delete(output.id);
      const draft = new Draft(this.state);
      const recorded = await this.transact(async (trx) => {
        if (done.id) {
          await trx('command')
            .where({ id: done.id, point_id: output.id })
            .update({ result: done.result, result_reason: done.reason, answered_at: new Date(now) });
        }
        const changed = await this.record(trx, draft, effects, now);
        const relay = await this.ledger.saveRelay(trx, output, this.ledger.relayView(output, now));
        return { ...changed, relays: [...changed.relays, relay] };
      });
      draft.keep();
      this.announce(recorded);
    });
  }

  /** The link to a node is lost: the states of its outputs are unknown, never the last ones. */
  linkLost(node: NodeEntry): void {
    const relays: Relay[] = [];
    for (const point of node.points.values()) {
      const held = this.ledger.relays.get(point.id);
      if (!held) continue;
      const view = { ...held, state: null, renewing: false };
      this.ledger.relays.set(point.id, view);
      relays.push(view);
    }
    this.announce({ alerts: [], outbox: [], relays }, [{ type: 'node', node: nodeView(node) }]);
  }

  /** A link is back, or a node has started: what its outputs were told before is forgotten, so that standing demands are told anew. */
  linkBack(node: NodeEntry): void {
    this.ledger.forgetCommands(node);
  }

  /** Marks an alert acknowledged in memory after the database has it. */
  acknowledged(alert: Alert): void {
    this.ledger.replace(alert);
    this.parts.hub.publish([{ type: 'alert', alert }]);
  }

  private async tick(now: number): Promise<void> {
    const { registry } = this.parts;
    const draft = new Draft(this.state);
    const silence = this.silences(now);
    const effects = [...evaluateTick(registry, draft, now - WATERMARK_LAG_MS, now), ...silence.effects];
    if (effects.length > 0 || settleOutputs(registry, draft, this.ledger, now, this.startedAt).length > 0) {
      const recorded = await this.transact((trx) => this.record(trx, draft, effects, now));
      this.announce(
        recorded,
        silence.nodes.map((node): LiveEvent => ({ type: 'node', node: nodeView(node) })),
      );
    }
    draft.keep();
  }

  /** Nodes that have missed their reports: three intervals, and never before the server has listened that long itself. */
  private silences(now: number): { effects: Effect[]; nodes: NodeEntry[] } {
    const effects: Effect[] = [];
    const nodes: NodeEntry[] = [];
    for (const node of this.parts.registry.nodes.values()) {
      if (node.heardAt === null || node.state !== 'proved') continue;
      const limit = Math.max(freshForMs(node), 5000);
      const silent = now - Math.max(node.heardAt, this.startedAt) > limit;
      const key = nodeKey('silent', node, null);
      if (silent === this.ledger.isOpen(key) && silent === node.silent) continue;
      node.silent = silent;
      nodes.push(node);
      if (silent) effects.push(silentAlert(key, node, now));
      else effects.push({ kind: 'close-alert', key, at: now, why: 'heard again' });
    }
    return { effects, nodes };
  }
}

function silentAlert(key: string, node: NodeEntry, now: number): Effect {
  const heard = node.heardAt === null ? 'never' : `${formatDuration(now - node.heardAt)} ago`;
  return {
    kind: 'open-alert',
    alert: {
      key,
      kind: 'silent',
      node,
      point: null,
      threshold: null,
      severity: 'advisory',
      title: `${node.name} is silent`,
      text: `Heard last ${heard}; it reports every ${formatDuration(node.reportSeconds * 1000)}. Its points are unknown and its outputs go off by themselves. Look at its supply, then at the network.`,
      trippedAt: now,
      value: null,
      earlier: false,
    },
  };
}

function stuckAlert(key: string, node: NodeEntry, output: PointEntry, now: number): Effect {
  return {
    kind: 'open-alert',
    alert: {
      key,
      kind: 'output-stuck',
      node,
      point: output,
      threshold: null,
      severity: 'critical',
      title: `${output.body.label} reads on after off was commanded`,
      text: `The contact of ${output.body.label.toLowerCase()} at ${node.name} may be welded. Cut its supply at the fuse; do not trust the relay until it has been replaced.`,
      trippedAt: now,
      value: null,
      earlier: false,
    },
  };
}
