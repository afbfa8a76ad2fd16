import type { Alert, Severity } from '@dewpost/contract';
import { JOINED_WITHIN_MS, severityRank, summed, tellings, toldBy, type Opening, type Target, type Telling } from '@dewpost/core/alarm';
import { formatDuration } from '@dewpost/core/quantity';
import type { HandsetMessage } from '@dewpost/core/wire';
import { randomUUID } from 'node:crypto';
import type { OutboxItem } from '../outbox/items';
import type { Registry } from '../model/registry';
import type { Draft } from './draft';
import type { Effect } from './effects';
import type { ShelfBook } from './shelf';
import { routeOf, type Routes } from './telling';
import { NOBODY_TOLD, rowOfTold, toldWith } from './told';
import type { Writes } from './writes';

export type TellEffect = Extract<Effect, { kind: 'tell' }>;
/** Why an alert is over that nobody has ended. */
const OVER_BY_ITSELF: ReadonlySet<string> = new Set([
  ...['cleared', 'heard again', 'readings are back', 'reads back off', 'reads back', 'it answers', 'charged or changed'],
]);

/** So many alerts are named in the message of a flood; of the others it says how many. */
const NAMED_IN_A_FLOOD = 8;

/** What decides which messages go by a way. */
export interface WayRule {
  readonly id: number;
  readonly name: string;
  readonly least: Severity;
  readonly notices: boolean;
  /** It needs no link out of the house. */
  readonly inside: boolean;
}

/** A message that goes to the handset of the house, or by a way. */
export type MessageToSend = { kind: 'message'; body: HandsetMessage } | { kind: 'way'; body: { way: number; message: HandsetMessage } };

/** Words of what the engine decided, to whoever is to hear them: put into the outbox, and noted at the alert. */
export class Messages {
  constructor(
    private readonly draft: Draft,
    private readonly writes: Writes,
    private readonly options: {
      handsetUrl: string | null;
      now: number;
      ways(): readonly WayRule[];
      routes: Routes;
      shelves: ShelfBook;
      registry: Registry;
      send(message: MessageToSend): OutboxItem;
    },
  ) {}

  /** The first course of an alert that has just opened, where it is due at once; what comes later is found by the tick. */
  tellFirst(alert: Alert): OutboxItem[] {
    const { routes, registry, now } = this.options;
    const [first] = tellings(routeOf(routes.plan(), registry, alert), alert.trippedAt, alert.trippedAt, routes.quiet());
    return first && first.at <= now ? this.tell(alert, first) : [];
  }

  tell(alert: Alert, telling: Telling): OutboxItem[] {
    const { title, text, severity, id: alertId, trippedAt } = alert;
    const hurried = this.draft.told.get(alertId)?.hurried ?? null;
    this.noteTold(alert, telling);
    const again = telling.course > 0 || telling.repetition > 0;
    // A course that was brought forward waited for nobody.
    const instead = telling.repetition === 0 && hurried !== null && telling.course === hurried.course;
    const since = formatDuration(this.options.now - trippedAt);
    const waited = instead ? ' Whoever was to be told before was not reached.' : again ? ` Nobody has acknowledged it for ${since}.` : '';
    return this.toTargets(telling.to, { title, text: text + waited, severity, alertId, trippedAt });
  }

  /** What was kept over quiet hours goes as one message to each, where it is more than one. */
  tellKept(kept: readonly TellEffect[]): OutboxItem[] {
    const [only] = kept;
    if (only && kept.length === 1) return this.tell(only.alert, only.telling);
    return this.tellTogether(kept, (own) => ({
      title: `${own.length} alerts kept over the quiet hours`,
      text: `${own.map((alert) => `${alert.title} (${alert.node})`).join(', ')}. All of them stand still.`,
    }));
  }

  /** What was held back in a flood goes as one message to each: what came first of it, and what stands since. */
  tellJoined(joined: readonly TellEffect[]): OutboxItem[] {
    if (joined.length === 0) return [];
    const { first } = this.draft.flood;
    this.draft.flood = summed(this.draft.flood, this.options.now);
    const from = first ? `${first.title} came first, ${formatDuration(this.options.now - first.at)} ago. ` : '';
    return this.tellTogether(joined, (own) => {
      const named = own.slice(0, NAMED_IN_A_FLOOD).map((alert) => `${alert.title} (${alert.node})`);
      const more = own.length > named.length ? ` and ${own.length - named.length} more` : '';
      return {
        title: own.length === 1 ? `In a flood of alerts: ${own[0]?.title}` : `${own.length} more alerts in a flood`,
        text: `${from}Then: ${named.join(', ')}${more}. All of them stand on the page of alerts.`,
      };
    });
  }

  private tellTogether(effects: readonly TellEffect[], say: (own: readonly Alert[]) => { title: string; text: string }): OutboxItem[] {
    for (const { alert, telling } of effects) this.noteTold(alert, telling);
    return [...new Set(effects.flatMap(({ telling }) => telling.to))].flatMap((target) => {
      const own = effects.filter(({ telling }) => telling.to.includes(target)).map(({ alert }) => alert);
      const gravest = [...own].sort((a, b) => severityRank(b.severity) - severityRank(a.severity))[0];
      if (!gravest) return [];
      return this.toTargets([target], { ...say(own), severity: gravest.severity, alertId: gravest.id, trippedAt: null });
    });
  }

  /** What opens with these effects and somebody would be told of by itself. */
  openingsIn(effects: readonly Effect[]): Opening[] {
    return effects.flatMap((effect) => {
      if (effect.kind !== 'open-alert') return [];
      const { key, title, severity, journal, earlier, test } = effect.alert;
      const quiet =
        journal === true || earlier || test === true || this.draft.isOpen(key) || this.options.shelves.of(key, severity) !== null;
      return quiet ? [] : [{ key, at: this.options.now, title: `${title} (${effect.alert.node.name})` }];
    });
  }

  /** It waits for the message of all that a flood holds back. */
  isHeldBack(key: string, { severity }: Alert): boolean {
    return this.options.routes.plan().flood === 'sum' && toldBy(this.draft.flood, severity, key) === 'sum';
  }

  private noteTold(alert: Alert, telling: Telling): void {
    const told = toldWith(this.draft.told.get(alert.id) ?? NOBODY_TOLD, telling);
    this.draft.told.set(alert.id, told);
    this.writes.told(alert.id, rowOfTold(told));
  }

  /** Everybody who was told hears that it is over, where its route says so; not what ended because somebody changed the rule. */
  allClear(alert: Alert): OutboxItem[] {
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
  notice({ threshold, edge, title, at, value, earlier, test }: Extract<Effect, { kind: 'notice' }>): OutboxItem[] {
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
      this.options.send({ kind: 'way', body: { way: id, message: { id: randomUUID(), to: name, sentAt: this.options.now, ...part } } }),
    );
  }

  summary(alerts: readonly Alert[]): OutboxItem[] {
    const titles = [...new Set(alerts.map((alert) => `${alert.title} (${alert.node})`))].slice(0, 5).join(', ');
    const title = alerts.length === 1 ? 'One alert happened earlier' : `${alerts.length} alerts happened earlier`;
    const text = `Found in readings that came late: ${titles}. Nothing was switched for them.`;
    return this.toHandset({ title, text, severity: 'note', alertId: null, trippedAt: null });
  }

  private toHandset(part: Omit<HandsetMessage, 'id' | 'to' | 'sentAt'>): OutboxItem[] {
    if (this.options.handsetUrl === null) return [];
    return [this.options.send({ kind: 'message', body: { id: randomUUID(), to: 'duty keeper', sentAt: this.options.now, ...part } })];
  }
}
