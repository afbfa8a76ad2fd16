import type { Alert, Relay } from '@dewpost/contract';
import type { DoMessage, HandsetMessage } from '@dewpost/core/wire';
import { randomUUID } from 'node:crypto';
import type { Database, Transaction } from '../database/connect';
import type { NodeEntry, PointEntry, Registry } from '../site/registry';
import { nodeKey, thresholdKey, type Demand, type Effect, type NewAlert } from './effects';
import type { LastCommand, Outputs } from './settle';

/** One thing to be sent, as it lies in the outbox. */
export type OutboxItem =
  | { id: number; kind: 'command'; body: { node: string; command: DoMessage }; attempts: number }
  | { id: number; kind: 'message'; body: HandsetMessage; attempts: number };

/** What a recorded batch of effects changed, to be acted on and told once it is committed. */
export interface Recorded {
  alerts: Alert[];
  relays: Relay[];
  outbox: OutboxItem[];
}

interface AlertRow {
  id: number;
  kind: Alert['kind'];
  threshold_id: number | null;
  node: string;
  point_id: number | null;
  severity: Alert['severity'];
  title: string;
  body: string;
  tripped_at: Date;
  value: number | null;
  cleared_at: Date | null;
  cleared_why: string | null;
  acknowledged_at: Date | null;
  acknowledged_by: string | null;
  earlier: boolean;
}

/** An alert row as pages see it. */
export function alertView(row: AlertRow): Alert {
  return {
    id: row.id,
    kind: row.kind,
    threshold: row.threshold_id,
    node: row.node,
    point: row.point_id,
    severity: row.severity,
    title: row.title,
    text: row.body,
    trippedAt: row.tripped_at.getTime(),
    value: row.value,
    clearedAt: row.cleared_at?.getTime() ?? null,
    clearedWhy: row.cleared_why,
    acknowledgedAt: row.acknowledged_at?.getTime() ?? null,
    acknowledgedBy: row.acknowledged_by,
    earlier: row.earlier,
  };
}

function refill<V>(map: Map<number, V>, from: ReadonlyMap<number, V> = new Map()): void {
  map.clear();
  for (const [id, value] of from) map.set(id, value);
}

interface Told {
  commands: Map<number, LastCommand>;
  waiting: Map<number, DoMessage>;
}

/** Alerts with the names of their nodes. */
export const alertRows = (database: Database | Transaction) =>
  database('alert as a').join('node as n', 'n.id', 'a.node_id').select('a.*', 'n.name as node');

/**
 * Open alerts, demands, last commands and output states: in the database, and the same in memory. `record` writes both
 * within a transaction; when that transaction fails, `load` reads the truth back.
 */
export class Ledger implements Outputs {
  private readonly openAlerts = new Map<string, Alert>();
  readonly demands = new Map<number, Demand[]>();
  readonly commands = new Map<number, LastCommand>();
  readonly relays = new Map<number, Relay>();
  /** Commands not answered yet, by output. */
  readonly waiting = new Map<number, DoMessage>();

  constructor(
    private readonly registry: Registry,
    private readonly handset: string | null,
  ) {}

  isOpen(key: string): boolean {
    return this.openAlerts.has(key);
  }

  open(): Alert[] {
    return [...this.openAlerts.values()];
  }

  /** Puts an alert that was changed outside (acknowledged) in the place of the one held. */
  replace(alert: Alert): void {
    for (const [key, held] of this.openAlerts) if (held.id === alert.id) this.openAlerts.set(key, alert);
  }

  /** What the outputs have been told, to be put back when a transaction fails. */
  told(): Told {
    return { commands: new Map(this.commands), waiting: new Map(this.waiting) };
  }

  /** Reads what the database holds; commands are known only to the running server: those of `told`, or none. */
  async load(database: Database, told?: Told): Promise<void> {
    this.openAlerts.clear();
    this.demands.clear();
    refill(this.commands, told?.commands);
    refill(this.waiting, told?.waiting);
    const rows = (await alertRows(database).whereNull('a.cleared_at')) as AlertRow[];
    for (const row of rows) {
      const node = this.registry.nodes.get(row.node);
      const point = row.point_id === null ? null : (this.registry.points.get(row.point_id) ?? null);
      if (!node) continue;
      this.openAlerts.set(row.threshold_id === null ? nodeKey(row.kind, node, point) : thresholdKey(row.threshold_id), alertView(row));
    }
    const demands = (await database('demand').whereNull('ended_at').orderBy('id')) as DemandRow[];
    for (const row of demands) {
      const output = this.registry.points.get(row.point_id);
      if (output) this.putDemand(demandOf(row, output));
    }
    const views = (await database('relay_state').select('point_id', 'view')) as { point_id: number; view: Relay }[];
    this.relays.clear();
    for (const { point_id: id, view } of views) this.relays.set(id, { ...view, state: null, renewing: false });
  }

  /** Writes effects, in order; gives what changed. */
  async record(trx: Transaction, effects: readonly Effect[], now: number): Promise<Recorded> {
    const changed: Recorded = { alerts: [], relays: [], outbox: [] };
    const earlier: Alert[] = [];
    for (const effect of effects) {
      switch (effect.kind) {
        case 'open-alert': {
          const alert = await this.openAlert(trx, effect.alert);
          if (!alert) break;
          changed.alerts.push(alert);
          if (alert.earlier) earlier.push(alert);
          else changed.outbox.push(...(await this.message(trx, alert, now)));
          break;
        }
        case 'close-alert': {
          const alert = await this.closeAlert(trx, effect.key, effect.at, effect.why);
          if (alert) changed.alerts.push(alert);
          break;
        }
        case 'start-demand':
          await this.startDemand(trx, effect.demand);
          break;
        case 'end-demand':
          await this.endDemand(trx, effect);
          break;
        case 'command': {
          changed.outbox.push(await this.command(trx, effect));
          changed.relays.push(await this.saveRelay(trx, effect.output, this.relayView(effect.output, now)));
          break;
        }
      }
    }
    if (earlier.length > 0) changed.outbox.push(...(await this.summary(trx, earlier, now)));
    return changed;
  }

  /** An output's state with who asks for it and when it ends. */
  relayView(output: PointEntry, now: number): Relay {
    const held = this.relays.get(output.id);
    const demands = this.demands.get(output.id) ?? [];
    const hand = demands.find((demand) => demand.source === 'hand');
    const asked = hand ?? demands[0];
    const last = this.commands.get(output.id);
    const settings = output.body.output;
    const maxRun = settings?.guards.maxRunSeconds ?? null;
    const since = held?.since ?? null;
    const runEnds = held?.state && since !== null && maxRun !== null ? since + maxRun * 1000 : null;
    const handEnds = hand && demands.length === 1 ? hand.endsAt : null;
    const ends = [runEnds, handEnds].filter((at): at is number => at !== null);
    return {
      point: output.id,
      state: held?.state ?? null,
      readAt: held?.readAt ?? null,
      since,
      result: held?.result ?? null,
      reason: held?.reason ?? null,
      heldUntil: held?.heldUntil ?? null,
      askedBy: asked?.by ?? null,
      askedFor: asked?.source ?? null,
      endsAt: hand?.endsAt ?? null,
      offAt: held?.state && ends.length > 0 ? Math.min(...ends) : null,
      leaseUntil: last?.on ? last.at + (settings?.leaseSeconds ?? 60) * 1000 : null,
      renewing: Boolean(last?.on && now - last.at < (settings?.leaseSeconds ?? 60) * 1000),
    };
  }

  async saveRelay(trx: Database | Transaction, output: PointEntry, view: Relay): Promise<Relay> {
    this.relays.set(output.id, view);
    await trx('relay_state')
      .insert({ point_id: output.id, view: JSON.stringify(view) })
      .onConflict('point_id')
      .merge();
    return view;
  }

  private async openAlert(trx: Transaction, alert: NewAlert): Promise<Alert | null> {
    if (this.openAlerts.has(alert.key)) return null;
    const { rows } = await trx.raw<{ rows: AlertRow[] }>(
      `with opened as (
         insert into alert (kind, threshold_id, threshold_version, node_id, point_id, severity, title, body, tripped_at, value, earlier)
         values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) returning *
       ), told as (insert into alert_event (alert_id, what) select id, ? from opened)
       select * from opened`,
      [
        alert.kind,
        alert.threshold?.id ?? null,
        alert.threshold?.version ?? null,
        alert.node.id,
        alert.point?.id ?? null,
        alert.severity,
        alert.title,
        alert.text,
        new Date(alert.trippedAt),
        alert.value,
        alert.earlier,
        alert.earlier ? 'happened earlier' : 'tripped',
      ],
    );
    const [row] = rows;
    if (!row) throw new Error('an alert was not written');
    const view = alertView({ ...row, node: alert.node.name });
    this.openAlerts.set(alert.key, view);
    return view;
  }

  private async closeAlert(trx: Transaction, key: string, at: number, why: string): Promise<Alert | null> {
    const open = this.openAlerts.get(key);
    if (!open) return null;
    await trx.raw(
      `with closed as (update alert set cleared_at = ?, cleared_why = ? where id = ? returning id)
       insert into alert_event (alert_id, what) select id, ? from closed`,
      [new Date(at), why, open.id, why],
    );
    this.openAlerts.delete(key);
    return { ...open, clearedAt: at, clearedWhy: why };
  }

  private async startDemand(trx: Transaction, demand: Omit<Demand, 'id'>): Promise<void> {
    const same = (this.demands.get(demand.output.id) ?? []).find((d) => d.source === demand.source && d.threshold === demand.threshold);
    if (same) {
      await trx('demand')
        .where({ id: same.id })
        .update({ ended_at: new Date(demand.startedAt), ended_why: 'asked anew' });
      this.dropDemand(same);
    }
    const [row] = (await trx('demand')
      .insert({
        point_id: demand.output.id,
        source: demand.source,
        threshold_id: demand.threshold,
        started_at: new Date(demand.startedAt),
        ends_at: demand.endsAt === null ? null : new Date(demand.endsAt),
        by_whom: demand.by,
        reason: demand.reason,
      })
      .returning('id')) as { id: number }[];
    if (row) this.putDemand({ ...demand, id: row.id });
  }

  private async endDemand(trx: Transaction, effect: Extract<Effect, { kind: 'end-demand' }>): Promise<void> {
    for (const demand of this.demands.get(effect.output.id) ?? []) {
      if (demand.source !== effect.source || demand.threshold !== effect.threshold) continue;
      await trx('demand')
        .where({ id: demand.id })
        .update({ ended_at: new Date(effect.at), ended_why: effect.why });
      this.dropDemand(demand);
    }
  }

  private async command(trx: Transaction, effect: Extract<Effect, { kind: 'command' }>): Promise<OutboxItem> {
    const leaseSeconds = effect.output.body.output?.leaseSeconds ?? 60;
    const command: DoMessage = {
      id: randomUUID(),
      point: effect.output.name,
      value: effect.on,
      leaseSeconds,
      issued: effect.at,
      notAfter: effect.at + leaseSeconds * 1000,
      reason: effect.reason,
    };
    const body = { node: effect.output.node.name, command };
    const { rows } = await trx.raw<{ rows: { id: number }[] }>(
      `with told as (
         insert into command (id, point_id, value, lease_seconds, issued, not_after, reason) values (?, ?, ?, ?, ?, ?, ?)
       ) insert into outbox (kind, body) values ('command', ?) returning id`,
      [
        command.id,
        effect.output.id,
        command.value,
        leaseSeconds,
        new Date(command.issued),
        new Date(command.notAfter),
        command.reason,
        JSON.stringify(body),
      ],
    );
    this.commands.set(effect.output.id, { on: effect.on, at: effect.at });
    this.waiting.set(effect.output.id, command);
    return { id: rows[0]?.id ?? 0, kind: 'command', body, attempts: 0 };
  }

  private async message(trx: Transaction, alert: Alert, now: number): Promise<OutboxItem[]> {
    return this.toHandset(
      trx,
      { title: alert.title, text: alert.text, severity: alert.severity, alertId: alert.id, trippedAt: alert.trippedAt },
      now,
    );
  }

  private async summary(trx: Transaction, alerts: readonly Alert[], now: number): Promise<OutboxItem[]> {
    const titles = [...new Set(alerts.map((alert) => `${alert.title} (${alert.node})`))].slice(0, 5).join(', ');
    const title = alerts.length === 1 ? 'One alert happened earlier' : `${alerts.length} alerts happened earlier`;
    const text = `Found in readings that came late: ${titles}. Nothing was switched for them.`;
    return this.toHandset(trx, { title, text, severity: 'note', alertId: null, trippedAt: null }, now);
  }

  private async toHandset(trx: Transaction, part: Omit<HandsetMessage, 'id' | 'to' | 'sentAt'>, now: number): Promise<OutboxItem[]> {
    if (this.handset === null) return [];
    const body: HandsetMessage = { id: randomUUID(), to: 'duty keeper', sentAt: now, ...part };
    const [row] = (await trx('outbox')
      .insert({ kind: 'message', body: JSON.stringify(body) })
      .returning('id')) as { id: number }[];
    return [{ id: row?.id ?? 0, kind: 'message', body, attempts: 0 }];
  }

  private putDemand(demand: Demand): void {
    this.demands.set(demand.output.id, [...(this.demands.get(demand.output.id) ?? []), demand]);
  }

  private dropDemand(demand: Demand): void {
    const left = (this.demands.get(demand.output.id) ?? []).filter((d) => d.id !== demand.id);
    if (left.length > 0) this.demands.set(demand.output.id, left);
    else this.demands.delete(demand.output.id);
  }

  /** Forgets what a node's outputs were told: it has just started, and they are off. */
  forgetCommands(node: NodeEntry): void {
    for (const point of node.points.values()) this.commands.delete(point.id);
  }
}

interface DemandRow {
  id: number;
  point_id: number;
  source: 'hand' | 'threshold';
  threshold_id: number | null;
  started_at: Date;
  ends_at: Date | null;
  by_whom: string;
  reason: string;
}

const demandOf = (row: DemandRow, output: PointEntry): Demand => ({
  id: row.id,
  output,
  source: row.source,
  threshold: row.threshold_id,
  startedAt: row.started_at.getTime(),
  endsAt: row.ends_at?.getTime() ?? null,
  by: row.by_whom,
  reason: row.reason,
});
