import type { Alert } from '@dewpost/contract';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { allAlerts, allDeliveries, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { nodeNames } from '../data/node-names';
import { Clock } from '../parts/clock';
import { SeverityGlyph } from '../parts/severity-glyph';
import { dayAndTime, timeOfDay } from '../parts/times';
import { Acknowledging } from '../shell/acknowledging';
import { Drawers } from '../shell/drawers';
import { AlertLifePanel } from './alert-life-panel';
import { ShelfLine } from './shelf-line';
import { RespondPages } from './sub-pages';

const LANE = { width: 240, span: 3_600_000 } as const;
const HEIGHT = { advisory: 6, warning: 11.5, critical: 17 } as const;

/** The journal: every alert a lane of the last hour, its height its severity; colour only while it waits. */
@Component({
  selector: 'dp-alerts',
  imports: [AlertLifePanel, MatButton, RespondPages, SeverityGlyph, ShelfLine],
  templateUrl: './alerts.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Alerts {
  protected readonly nameOf = nodeNames();
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  protected readonly drawers = inject(Drawers);
  protected readonly acknowledging = inject(Acknowledging);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  private readonly alerts = this.store.selectSignal(allAlerts.selectAll);
  private readonly deliveries = this.store.selectSignal(allDeliveries.selectAll);
  protected readonly lane = LANE;
  /** The alert that is about to be put on the shelf. */
  protected readonly shelving = signal<number | null>(null);
  /** The alert whose journal is open. */
  protected readonly reading = signal<number | null>(null);
  protected readonly groups = computed(() => {
    const all = this.alerts().filter((alert) => !alert.journal);
    return [
      { name: 'Waits for you', alerts: all.filter((a) => a.clearedAt === null && a.acknowledgedAt === null && a.shelvedUntil === null) },
      { name: 'On the shelf', alerts: all.filter((a) => a.clearedAt === null && a.acknowledgedAt === null && a.shelvedUntil !== null) },
      { name: 'Known, still standing', alerts: all.filter((a) => a.clearedAt === null && a.acknowledgedAt !== null) },
      { name: 'Cleared, not seen by anybody', alerts: all.filter((a) => a.clearedAt !== null && a.acknowledgedAt === null) },
      { name: 'Cleared', alerts: all.filter((a) => a.clearedAt !== null && a.acknowledgedAt !== null) },
      { name: 'Ordinary switching', alerts: this.alerts().filter((alert) => alert.journal) },
    ].filter((group) => group.alerts.length > 0);
  });
  protected readonly summary = computed(() => {
    const open = this.alerts().filter((alert) => alert.clearedAt === null && !alert.journal);
    const waits = open.filter((alert) => alert.acknowledgedAt === null && alert.shelvedUntil === null).length;
    const shelved = open.filter((alert) => alert.acknowledgedAt === null && alert.shelvedUntil !== null).length;
    const known = `${open.length - waits - shelved} known${shelved > 0 ? `, ${shelved} on the shelf` : ''}`;
    return open.length === 0 ? 'nothing stands' : `${waits === 1 ? '1 waits' : `${waits} wait`}, ${known}`;
  });
  protected readonly hourTicks = computed(() => {
    const now = this.clock.now();
    const quarter = 900_000;
    const first = Math.ceil((now - LANE.span) / quarter) * quarter;
    return Array.from({ length: 4 }, (_, i) => first + i * quarter)
      .filter((at) => at <= now && this.x(at) >= 18)
      .map((at) => ({ x: this.x(at), text: timeOfDay(at, this.zone()) }));
  });

  protected x(at: number): number {
    return Math.max(0, Math.min(LANE.width, ((at - (this.clock.now() - LANE.span)) / LANE.span) * LANE.width));
  }
  protected isShelved(alert: Alert): boolean {
    return alert.shelvedUntil !== null && alert.clearedAt === null && alert.acknowledgedAt === null;
  }
  protected height(alert: Alert): number {
    return HEIGHT[alert.severity];
  }
  protected colour(alert: Alert): string {
    if (this.isShelved(alert)) return 'url(#hatch-0)';
    if (alert.clearedAt !== null || alert.acknowledgedAt !== null || alert.journal) return 'var(--z3)';
    return { advisory: 'var(--ochre)', warning: 'var(--rust)', critical: 'var(--carmine)' }[alert.severity];
  }
  protected barWidth(alert: Alert): number {
    return Math.max(2, this.x(alert.clearedAt ?? this.clock.now()) - this.x(alert.trippedAt));
  }
  protected under(alert: Alert): string {
    const since = dayAndTime(alert.trippedAt, this.zone());
    const lasted = formatDuration((alert.clearedAt ?? this.clock.now()) - alert.trippedAt);
    if (alert.clearedAt === null && alert.returnedAt !== null)
      return `${this.nameOf(alert.node)}, ${since}, gone after ${formatDuration(alert.returnedAt - alert.trippedAt)}`;
    return `${this.nameOf(alert.node)}, ${since}, ${alert.clearedAt === null ? `for ${lasted}` : `${alert.clearedWhy ?? 'cleared'} after ${lasted}`}${alert.earlier ? '; happened earlier' : ''}`;
  }
  /** What a latched alert waits for once its condition has gone; empty: it is none, or its condition stands. */
  protected latched({ clearedAt, returnedAt, acknowledgedAt }: Alert): string {
    if (clearedAt !== null || returnedAt === null) return '';
    return `latched: waits to be ${acknowledgedAt === null ? 'seen and reset' : 'reset'}`;
  }
  /** Why it came and what was done, where somebody has written it down. */
  protected known({ cause, remedy }: Alert): string {
    return [cause === null ? '' : `came from: ${cause}`, remedy === null ? '' : `done: ${remedy}`].filter(Boolean).join('; ');
  }
  /** What of a group nobody has seen yet. */
  protected unseen(alerts: readonly Alert[]): Alert[] {
    return alerts.filter((alert) => alert.acknowledgedAt === null && !alert.journal);
  }
  protected told(alert: Alert): string {
    if (alert.journal || this.isShelved(alert)) return 'nobody is told';
    if (alert.acknowledgedAt !== null) return `seen ${timeOfDay(alert.acknowledgedAt, this.zone())} by ${alert.acknowledgedBy ?? ''}`;
    const delivery = this.deliveries().find((one) => one.alert === alert.id);
    if (!delivery) return 'nobody told';
    return delivery.state === 'delivered'
      ? `told ${delivery.message.to} ${timeOfDay(delivery.deliveredAt ?? 0, this.zone(), true)}`
      : `telling ${delivery.message.to}`;
  }
}
