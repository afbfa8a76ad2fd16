import type { Alert, Relay } from '@dewpost/contract';
import type { DoMessage, HandsetMessage } from '@dewpost/core/wire';
import { randomUUID } from 'node:crypto';
import type { Transaction } from '../database/connect';
import type { OutboxItem } from '../outbox/items';
import type { PointEntry } from '../site/registry';
import { alertView, type AlertRow } from './alert-rows';
import type { Draft } from './draft';
import type { Demand, Effect, NewAlert } from './effects';
import { relayView } from './relay-view';

/** What a recorded batch of effects changed, to be acted on and told once it is committed. */
export interface Recorded {
  alerts: Alert[];
  relays: Relay[];
  outbox: OutboxItem[];
}

/** Writes effects within one transaction and into the draft that is kept with it: alerts, demands, commands, messages. */
export class Ledger {
  constructor(
    private readonly trx: Transaction,
    private readonly draft: Draft,
    private readonly options: { handsetUrl: string | null; now: number },
  ) {}

  /** Writes effects, in order; gives what changed. */
  async record(effects: readonly Effect[]): Promise<Recorded> {
    const changed: Recorded = { alerts: [], relays: [], outbox: [] };
    const earlier: Alert[] = [];
    for (const effect of effects) {
      switch (effect.kind) {
        case 'open-alert': {
          const alert = await this.openAlert(effect.alert);
          if (!alert) break;
          changed.alerts.push(alert);
          // Ordinary switching is looked up by who wants to know: nobody is told.
          if (alert.journal) break;
          if (alert.earlier) earlier.push(alert);
          else changed.outbox.push(...(await this.message(alert)));
          break;
        }
        case 'close-alert': {
          const alert = await this.closeAlert(effect.key, effect.at, effect.why);
          if (alert) changed.alerts.push(alert);
          break;
        }
        case 'start-demand':
          await this.startDemand(effect.demand);
          break;
        case 'end-demand':
          await this.endDemand(effect);
          break;
        case 'command': {
          changed.outbox.push(await this.command(effect));
          changed.relays.push(await this.saveRelay(effect.output));
          break;
        }
      }
    }
    if (earlier.length > 0) changed.outbox.push(...(await this.summary(earlier)));
    return changed;
  }

  /** Stores what is known of an output, and gives it. */
  async saveRelay(output: PointEntry): Promise<Relay> {
    const view = relayView(this.draft, output, this.options.now);
    this.draft.relays.set(output.id, view);
    await this.trx('relay_state')
      .insert({ point_id: output.id, view: JSON.stringify(view) })
      .onConflict('point_id')
      .merge();
    return view;
  }

  private async openAlert(alert: NewAlert): Promise<Alert | null> {
    if (this.draft.isOpen(alert.key)) return null;
    const { rows } = await this.trx.raw<{ rows: AlertRow[] }>(
      `with opened as (
         insert into alert (kind, threshold_id, threshold_version, node_id, point_id, severity, title, body, tripped_at, value, earlier, journal)
         values (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?) returning *
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
        alert.journal ?? false,
        alert.earlier ? 'happened earlier' : 'tripped',
      ],
    );
    const [row] = rows;
    if (!row) throw new Error('an alert was not written');
    const view = alertView({ ...row, node: alert.node.name });
    this.draft.alerts.set(alert.key, view);
    return view;
  }

  private async closeAlert(key: string, at: number, why: string): Promise<Alert | null> {
    const open = this.draft.alerts.get(key);
    if (!open) return null;
    await this.trx.raw(
      `with closed as (update alert set cleared_at = ?, cleared_why = ? where id = ? returning id)
       insert into alert_event (alert_id, what) select id, ? from closed`,
      [new Date(at), why, open.id, why],
    );
    this.draft.alerts.delete(key);
    return { ...open, clearedAt: at, clearedWhy: why };
  }

  private async startDemand(demand: Omit<Demand, 'id'>): Promise<void> {
    const same = (this.draft.demands.get(demand.output.id) ?? []).find(
      (other) => other.source === demand.source && other.threshold === demand.threshold,
    );
    if (same) {
      await this.trx('demand')
        .where({ id: same.id })
        .update({ ended_at: new Date(demand.startedAt), ended_why: 'asked anew' });
      this.draft.dropDemand(same);
    }
    const [row] = (await this.trx('demand')
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
    if (!row) throw new Error('a demand was not written');
    this.draft.putDemand({ ...demand, id: row.id });
  }

  private async endDemand(effect: Extract<Effect, { kind: 'end-demand' }>): Promise<void> {
    for (const demand of this.draft.demands.get(effect.output.id) ?? []) {
      if (demand.source !== effect.source || demand.threshold !== effect.threshold) continue;
      await this.trx('demand')
        .where({ id: demand.id })
        .update({ ended_at: new Date(effect.at), ended_why: effect.why });
      this.draft.dropDemand(demand);
    }
  }

  private async command(effect: Extract<Effect, { kind: 'command' }>): Promise<OutboxItem> {
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
    const { rows } = await this.trx.raw<{ rows: { id: number }[] }>(
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
    const [row] = rows;
    if (!row) throw new Error('a command was not written');
    this.draft.commands.set(effect.output.id, { on: effect.on, at: effect.at, id: command.id, answeredAt: null });
    this.draft.waiting.set(effect.output.id, command);
    return { id: row.id, kind: 'command', body, attempts: 0 };
  }

  private message(alert: Alert): Promise<OutboxItem[]> {
    const { title, text, severity, id: alertId, trippedAt } = alert;
    return this.toHandset({ title, text, severity, alertId, trippedAt });
  }

  private summary(alerts: readonly Alert[]): Promise<OutboxItem[]> {
    const titles = [...new Set(alerts.map((alert) => `${alert.title} (${alert.node})`))].slice(0, 5).join(', ');
    const title = alerts.length === 1 ? 'One alert happened earlier' : `${alerts.length} alerts happened earlier`;
    const text = `Found in readings that came late: ${titles}. Nothing was switched for them.`;
    return this.toHandset({ title, text, severity: 'note', alertId: null, trippedAt: null });
  }

  private async toHandset(part: Omit<HandsetMessage, 'id' | 'to' | 'sentAt'>): Promise<OutboxItem[]> {
    if (this.options.handsetUrl === null) return [];
    const body: HandsetMessage = { id: randomUUID(), to: 'duty keeper', sentAt: this.options.now, ...part };
    const [row] = (await this.trx('outbox')
      .insert({ kind: 'message', body: JSON.stringify(body) })
      .returning('id')) as { id: number }[];
    if (!row) throw new Error('a message was not written');
    return [{ id: row.id, kind: 'message', body, attempts: 0 }];
  }
}
