import type { Alert, Relay } from '@dewpost/contract';
import { floodAt } from '@dewpost/core/alarm';
import type { DoMessage } from '@dewpost/core/wire';
import { randomUUID } from 'node:crypto';
import type { OutboxItem } from '../outbox/items';
import type { PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { RowIds } from '../store/row-ids';
import { openedAlert } from './alert-rows';
import type { Draft } from './draft';
import type { Demand, Effect, NewAlert } from './effects';
import { relayView } from './relay-view';
import type { ShelfBook } from './shelf';
import { type Routes } from './telling';
import type { Writes } from './writes';
import { drillTitle } from './rule-words';
import { Messages, type WayRule, type TellEffect, type MessageToSend } from './messages';

/** What a recorded batch of effects changed, to be acted on and told once it is committed. */
export interface Recorded {
  alerts: Alert[];
  relays: Relay[];
  outbox: OutboxItem[];
}

/** Puts effects into the draft, and what they write into `writes`: alerts, demands, commands, messages. Nothing is written yet. */
export class Ledger {
  private readonly messages: Messages;

  constructor(
    private readonly draft: Draft,
    private readonly writes: Writes,
    private readonly options: {
      ids: RowIds;
      handsetUrl: string | null;
      now: number;
      /** Ways that messages leave the house by. */
      ways(): readonly WayRule[];
      routes: Routes;
      shelves: ShelfBook;
      registry: Registry;
    },
  ) {
    this.messages = new Messages(draft, writes, { ...options, send: (what) => this.toSend(what) });
  }

  /** How many numbers of rows these effects may take. */
  static numbersFor(effects: readonly Effect[], ways: number): number {
    return (effects.length + 1) * (1 + ways);
  }

  /** Records effects, in order; gives what changed. */
  record(effects: readonly Effect[]): Recorded {
    const changed: Recorded = { alerts: [], relays: [], outbox: [] };
    const earlier: Alert[] = [];
    const kept: TellEffect[] = [];
    const joined: TellEffect[] = [];
    this.draft.flood = floodAt(this.draft.flood, this.options.now, this.messages.openingsIn(effects));
    for (const effect of effects) {
      switch (effect.kind) {
        case 'open-alert': {
          const latched = this.tripsAgain(effect.alert);
          if (latched) changed.alerts.push(latched);
          const alert = this.openAlert(effect.alert);
          if (!alert) break;
          changed.alerts.push(alert);
          // Ordinary switching is looked up by who wants to know: nobody is told.
          const onlyTold = effect.alert.test === true || this.isDrilled(effect.alert);
          if (alert.journal && !onlyTold) break;
          if (alert.shelvedUntil !== null) break;
          if (alert.earlier) earlier.push(alert);
          else if (onlyTold || !this.messages.isHeldBack(effect.alert.key, alert)) changed.outbox.push(...this.messages.tellFirst(alert));
          break;
        }
        case 'close-alert': {
          const alert = this.closeAlert(effect.key, effect.at, effect.why);
          if (alert) {
            changed.alerts.push(alert);
            changed.outbox.push(...this.messages.allClear(alert));
          }
          break;
        }
        case 'latch-alert': {
          const alert = this.returned(effect.key, effect.at);
          if (alert) changed.alerts.push(alert);
          break;
        }
        case 'tell':
          // It may have closed a moment before, in the same piece of work.
          if (!this.draft.isOpen(effect.key)) break;
          if (effect.joined) joined.push(effect);
          else if (effect.telling.kept) kept.push(effect);
          else changed.outbox.push(...this.messages.tell(effect.alert, effect.telling));
          break;
        case 'start-demand':
          this.startDemand(effect.demand);
          break;
        case 'end-demand':
          this.endDemand(effect);
          break;
        case 'end-demands':
          for (const { source, threshold } of this.draft.demands.get(effect.output.id) ?? [])
            this.endDemand({ ...effect, kind: 'end-demand', source, threshold });
          break;
        case 'notice':
          changed.outbox.push(...this.messages.notice(effect));
          break;
        case 'command': {
          changed.outbox.push(this.command(effect));
          changed.relays.push(this.saveRelay(effect.output));
          break;
        }
      }
    }
    if (earlier.length > 0) changed.outbox.push(...this.messages.summary(earlier));
    changed.outbox.push(...this.messages.tellKept(kept), ...this.messages.tellJoined(joined));
    return changed;
  }

  /** Keeps what is known of an output, and gives it. */
  saveRelay(output: PointEntry): Relay {
    const view = relayView(this.draft, output, this.options.now);
    this.draft.relays.set(output.id, view);
    this.writes.relay(view);
    return view;
  }

  private openAlert(asked: NewAlert): Alert | null {
    if (this.draft.isOpen(asked.key)) return null;
    const alert = this.isDrilled(asked) ? { ...asked, title: drillTitle(asked.title), journal: true } : asked;
    const id = this.options.ids.take('alert');
    const shelf = this.options.shelves.of(alert.key, alert.severity);
    this.writes.open(id, alert, shelf);
    const view = openedAlert(id, alert, shelf);
    this.draft.alerts.set(alert.key, view);
    return view;
  }

  /** Nobody has to act on a drill, and it counts nowhere. */
  private isDrilled({ journal, node }: NewAlert): boolean {
    return journal !== true && this.options.registry.drilled.has(node.name);
  }

  private closeAlert(key: string, at: number, why: string): Alert | null {
    const open = this.draft.alerts.get(key);
    if (!open) return null;
    this.writes.clear(open.id, { at, why });
    this.draft.alerts.delete(key);
    return { ...open, clearedAt: at, clearedWhy: why };
  }

  /** A latched alert whose condition went, or came again (`null`). */
  private returned(key: string, at: number | null): Alert | null {
    const open = this.draft.alerts.get(key);
    if (!open || open.returnedAt === at) return null;
    this.writes.returned(open.id, at);
    const alert = { ...open, returnedAt: at };
    this.draft.alerts.set(key, alert);
    return alert;
  }

  /** ANSI/ISA-18.2: a latched alert that trips again is unacknowledged. What somebody had seen is over, and another one opens. */
  private tripsAgain({ key, trippedAt }: NewAlert): Alert | null {
    const open = this.draft.alerts.get(key);
    if (!open || open.returnedAt === null) return null;
    return open.acknowledgedAt === null ? this.returned(key, null) : this.closeAlert(key, trippedAt, 'tripped again before it was reset');
  }

  private startDemand(asked: Omit<Demand, 'id'>): void {
    const same = (this.draft.demands.get(asked.output.id) ?? []).find(
      (other) => other.source === asked.source && other.threshold === asked.threshold,
    );
    if (same) {
      this.writes.end(same.id, { at: asked.startedAt, why: 'asked anew' });
      this.draft.dropDemand(same);
    }
    const demand = { ...asked, id: this.options.ids.take('demand') };
    this.writes.begin(demand);
    this.draft.putDemand(demand);
  }

  private endDemand(effect: Extract<Effect, { kind: 'end-demand' }>): void {
    for (const demand of this.draft.demands.get(effect.output.id) ?? []) {
      if (demand.source !== effect.source || demand.threshold !== effect.threshold) continue;
      this.writes.end(demand.id, { at: effect.at, why: effect.why });
      this.draft.dropDemand(demand);
    }
  }

  private command({ output, on, reason, at }: Extract<Effect, { kind: 'command' }>): OutboxItem {
    const leaseSeconds = output.body.output?.leaseSeconds ?? 60;
    const command: DoMessage = {
      id: randomUUID(),
      point: output.name,
      value: on,
      leaseSeconds,
      issued: at,
      notAfter: at + leaseSeconds * 1000,
      reason,
    };
    this.writes.command(output.id, command);
    const before = this.draft.commands.get(output.id);
    const goesOn = before?.on === on && before.answeredAt === null && at - before.since < leaseSeconds * 1000;
    const since = goesOn ? before.since : at;
    this.draft.commands.set(output.id, { on, at, since, id: command.id, answeredAt: null });
    this.draft.waiting.set(output.id, command);
    return this.toSend({ kind: 'command', body: { node: output.node.name, command } });
  }

  private toSend(what: { kind: 'command'; body: { node: string; command: DoMessage } } | MessageToSend): OutboxItem {
    const item: OutboxItem = { ...what, id: this.options.ids.take('outbox'), attempts: 0 };
    this.writes.send(item);
    return item;
  }
}
