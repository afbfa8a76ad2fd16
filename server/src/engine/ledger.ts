import type { Alert, Relay, Severity } from '@dewpost/contract';
import { JOINED_WITHIN_MS, severityRank, tellings, type Target, type Telling } from '@dewpost/core/alarm';
import { formatDuration } from '@dewpost/core/quantity';
import type { DoMessage, HandsetMessage } from '@dewpost/core/wire';
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
import { routeOf, type Routes } from './telling';
import { NOBODY_TOLD, rowOfTold, toldWith } from './told';
import type { Writes } from './writes';

/** Why an alert is over that nobody has ended. */
const OVER_BY_ITSELF: ReadonlySet<string> = new Set([
  ...['cleared', 'heard again', 'readings are back', 'reads back off', 'reads back', 'it answers', 'charged or changed'],
]);

/** What decides which messages go by a way. */
export interface WayRule {
  readonly id: number;
  readonly name: string;
  readonly least: Severity;
  readonly notices: boolean;
}

/** What a recorded batch of effects changed, to be acted on and told once it is committed. */
export interface Recorded {
  alerts: Alert[];
  relays: Relay[];
  outbox: OutboxItem[];
}

/** Puts effects into the draft, and what they write into `writes`: alerts, demands, commands, messages. Nothing is written yet. */
export class Ledger {
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
  ) {}

  /** How many numbers of rows these effects may take. */
  static numbersFor(effects: readonly Effect[], ways: number): number {
    return (effects.length + 1) * (1 + ways);
  }

  /** Records effects, in order; gives what changed. */
  record(effects: readonly Effect[]): Recorded {
    const changed: Recorded = { alerts: [], relays: [], outbox: [] };
    const earlier: Alert[] = [];
    const kept: Extract<Effect, { kind: 'tell' }>[] = [];
    for (const effect of effects) {
      switch (effect.kind) {
        case 'open-alert': {
          const alert = this.openAlert(effect.alert);
          if (!alert) break;
          changed.alerts.push(alert);
          // Ordinary switching is looked up by who wants to know: nobody is told.
          if (alert.journal && effect.alert.test !== true) break;
          if (alert.shelvedUntil !== null) break;
          if (alert.earlier) earlier.push(alert);
          else changed.outbox.push(...this.tellFirst(alert));
          break;
        }
        case 'close-alert': {
          const alert = this.closeAlert(effect.key, effect.at, effect.why);
          if (alert) {
            changed.alerts.push(alert);
            changed.outbox.push(...this.allClear(alert));
          }
          break;
        }
        case 'tell':
          // It may have closed a moment before, in the same piece of work.
          if (!this.draft.isOpen(effect.key)) break;
          if (effect.telling.kept) kept.push(effect);
          else changed.outbox.push(...this.tell(effect.alert, effect.telling));
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
          changed.outbox.push(...this.notice(effect));
          break;
        case 'command': {
          changed.outbox.push(this.command(effect));
          changed.relays.push(this.saveRelay(effect.output));
          break;
        }
      }
    }
    if (earlier.length > 0) changed.outbox.push(...this.summary(earlier));
    changed.outbox.push(...this.tellKept(kept));
    return changed;
  }

  /** Keeps what is known of an output, and gives it. */
  saveRelay(output: PointEntry): Relay {
    const view = relayView(this.draft, output, this.options.now);
    this.draft.relays.set(output.id, view);
    this.writes.relay(view);
    return view;
  }

  private openAlert(alert: NewAlert): Alert | null {
    if (this.draft.isOpen(alert.key)) return null;
    const id = this.options.ids.take('alert');
    const shelf = this.options.shelves.of(alert.key, alert.severity);
    this.writes.open(id, alert, shelf);
    const view = openedAlert(id, alert, shelf);
    this.draft.alerts.set(alert.key, view);
    return view;
  }

  private closeAlert(key: string, at: number, why: string): Alert | null {
    const open = this.draft.alerts.get(key);
    if (!open) return null;
    this.writes.clear(open.id, { at, why });
    this.draft.alerts.delete(key);
    return { ...open, clearedAt: at, clearedWhy: why };
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

  /** The first course of an alert that has just opened, where it is due at once; what comes later is found by the tick. */
  private tellFirst(alert: Alert): OutboxItem[] {
    const { routes, registry, now } = this.options;
    const [first] = tellings(routeOf(routes.plan(), registry, alert), alert.trippedAt, alert.trippedAt, routes.quiet());
    return first && first.at <= now ? this.tell(alert, first) : [];
  }

  private tell(alert: Alert, telling: Telling): OutboxItem[] {
    const { title, text, severity, id: alertId, trippedAt } = alert;
    this.noteTold(alert, telling);
    const again = telling.course > 0 || telling.repetition > 0;
    const waited = again ? ` Nobody has acknowledged it for ${formatDuration(this.options.now - trippedAt)}.` : '';
    return this.toTargets(telling.to, { title, text: text + waited, severity, alertId, trippedAt });
  }

  /** What was kept over quiet hours goes as one message to each, where it is more than one. */
  private tellKept(kept: readonly Extract<Effect, { kind: 'tell' }>[]): OutboxItem[] {
    const [only] = kept;
    if (only && kept.length === 1) return this.tell(only.alert, only.telling);
    for (const { alert, telling } of kept) this.noteTold(alert, telling);
    const targets = new Set(kept.flatMap(({ telling }) => telling.to));
    return [...targets].flatMap((target) => {
      const own = kept.filter(({ telling }) => telling.to.includes(target)).map(({ alert }) => alert);
      const gravest = [...own].sort((a, b) => severityRank(b.severity) - severityRank(a.severity))[0];
      if (!gravest) return [];
      const title = `${own.length} alerts kept over the quiet hours`;
      const text = own.map((alert) => `${alert.title} (${alert.node})`).join(', ');
      return this.toTargets([target], {
        title,
        text: `${text}. All of them stand still.`,
        severity: gravest.severity,
        alertId: gravest.id,
        trippedAt: null,
      });
    });
  }

  private noteTold(alert: Alert, telling: Telling): void {
    const told = toldWith(this.draft.told.get(alert.id) ?? NOBODY_TOLD, telling);
    this.draft.told.set(alert.id, told);
    this.writes.told(alert.id, rowOfTold(told));
  }

  /** Everybody who was told hears that it is over, where its route says so; not what ended because somebody changed the rule. */
  private allClear(alert: Alert): OutboxItem[] {
    const { routes, registry, now } = this.options;
    const told = this.draft.told.get(alert.id);
    this.draft.told.delete(alert.id);
    if (!told || told.to.size === 0 || !OVER_BY_ITSELF.has(alert.clearedWhy ?? '')) return [];
    const { allClear } = routeOf(routes.plan(), registry, alert);
    if (allClear === 'never' || (allClear === 'by day' && routes.quiet().isQuiet(now))) return [];
    const lasted = formatDuration(Math.max(0, (alert.clearedAt ?? now) - alert.trippedAt));
    const part = { severity: 'note' as const, alertId: alert.id, trippedAt: alert.trippedAt };
    return this.toTargets([...told.to], {
      title: `Over: ${alert.title}`,
      text: `${alert.node}: ${alert.clearedWhy}, after ${lasted}.`,
      ...part,
    });
  }

  private toTargets(targets: readonly Target[], part: Omit<HandsetMessage, 'id' | 'to' | 'sentAt'>): OutboxItem[] {
    const ways = this.options.ways().filter(({ id }) => targets.includes(id));
    return [...(targets.includes('handset') ? this.toHandset(part) : []), ...this.toWays(ways, part)];
  }

  /** Written down always; told unless one of the same rule and edge was told within ten minutes. What came late is told to nobody. */
  private notice({ threshold, edge, title, at, value, earlier, test }: Extract<Effect, { kind: 'notice' }>): OutboxItem[] {
    const key = `${threshold.id} ${edge}`;
    // A test is joined to nothing, and nothing to it.
    const before = test ? undefined : this.draft.noticed.get(key);
    const joined = before !== undefined && at - before.at < JOINED_WITHIN_MS;
    const told = !joined && !earlier;
    this.writes.note({ threshold, edge, title, at, value, told });
    if (joined) this.draft.noticed.set(key, { ...before, more: before.more + 1 });
    if (!told) return [];
    if (!test) this.draft.noticed.set(key, { at, more: 0 });
    const more = before?.more ?? 0;
    const text = more > 0 ? `And ${more} more like it since the last that was told.` : '';
    const message = { title, text, severity: 'note' as const, alertId: null, trippedAt: at };
    const { route } = threshold.rule;
    const ways = this.options.ways().filter((way) => (route ? route.includes(way.id) : way.notices));
    return [...this.toHandset(message), ...this.toWays(ways, message)];
  }

  private toWays(ways: readonly WayRule[], part: Omit<HandsetMessage, 'id' | 'to' | 'sentAt'>): OutboxItem[] {
    return ways.map(({ id, name }) =>
      this.toSend({ kind: 'way', body: { way: id, message: { id: randomUUID(), to: name, sentAt: this.options.now, ...part } } }),
    );
  }

  private summary(alerts: readonly Alert[]): OutboxItem[] {
    const titles = [...new Set(alerts.map((alert) => `${alert.title} (${alert.node})`))].slice(0, 5).join(', ');
    const title = alerts.length === 1 ? 'One alert happened earlier' : `${alerts.length} alerts happened earlier`;
    const text = `Found in readings that came late: ${titles}. Nothing was switched for them.`;
    return this.toHandset({ title, text, severity: 'note', alertId: null, trippedAt: null });
  }

  private toHandset(part: Omit<HandsetMessage, 'id' | 'to' | 'sentAt'>): OutboxItem[] {
    if (this.options.handsetUrl === null) return [];
    return [this.toSend({ kind: 'message', body: { id: randomUUID(), to: 'duty keeper', sentAt: this.options.now, ...part } })];
  }

  private toSend(
    what:
      | { kind: 'command'; body: { node: string; command: DoMessage } }
      | { kind: 'message'; body: HandsetMessage }
      | { kind: 'way'; body: { way: number; message: HandsetMessage } },
  ): OutboxItem {
    const item: OutboxItem = { ...what, id: this.options.ids.take('outbox'), attempts: 0 };
    this.writes.send(item);
    return item;
  }
}
