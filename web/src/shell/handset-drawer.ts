import type { Delivery } from '@dewpost/contract';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIcon } from '@angular/material/icon';
import { Store } from '@ngrx/store';
import { X } from 'lucide';
import { messageOf } from '../data/api';
import { allAlerts, allDeliveries, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { useIcons } from '../parts/icons';
import { SeverityGlyph } from '../parts/severity-glyph';
import { timeOfDay } from '../parts/times';
import { Acknowledging } from './acknowledging';
import { Drawers } from './drawers';
import { StandinsApi, type InboxEntry, type Received } from './standins-api';

/** The duty keeper's phone, played by a stand-in: what it received and when, and what is still on its way. */
@Component({
  selector: 'dp-handset-drawer',
  imports: [MatButton, MatIcon, SeverityGlyph],
  templateUrl: './handset-drawer.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class HandsetDrawer {
  private readonly store = inject(Store);
  private readonly standins = inject(StandinsApi);
  protected readonly drawers = inject(Drawers);
  protected readonly acknowledging = inject(Acknowledging);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly alerts = this.store.selectSignal(allAlerts.selectEntities);
  private readonly deliveries = this.store.selectSignal(allDeliveries.selectAll);
  protected readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  protected readonly waiting = computed(() => this.deliveries().filter((delivery) => delivery.state !== 'delivered'));
  protected readonly inbox = signal<InboxEntry[] | null>(null);
  /** What came to others outside the house. */
  protected readonly elsewhere = signal<Received[]>([]);
  protected readonly problem = signal<string | null>(null);

  constructor() {
    useIcons({ x: X });
    // Asked anew whenever something was delivered.
    effect(() => {
      this.deliveries();
      void this.refresh();
    });
  }

  protected at(ms: number): string {
    return timeOfDay(ms, this.zone(), true);
  }
  protected took(entry: InboxEntry): string {
    const { trippedAt } = entry.message;
    return trippedAt === null ? '' : `${formatDuration(entry.deliveredAt - trippedAt)} after the reading`;
  }
  protected unacknowledged(entry: InboxEntry) {
    const alert = entry.message.alertId === null ? undefined : this.alerts()[entry.message.alertId];
    return alert && alert.acknowledgedAt === null ? alert : null;
  }
  protected becameOf(entry: InboxEntry): string {
    const alert = entry.message.alertId === null ? undefined : this.alerts()[entry.message.alertId];
    if (!alert) return '';
    const parts = [
      alert.acknowledgedAt === null ? '' : `acknowledged ${this.at(alert.acknowledgedAt)} by ${alert.acknowledgedBy ?? ''}`,
      alert.clearedAt === null ? '' : `cleared ${this.at(alert.clearedAt)}`,
    ];
    return parts.filter(Boolean).join(', ');
  }
  protected words(delivery: Delivery): string {
    return delivery.state === 'failed'
      ? `given up: ${delivery.error ?? ''}`
      : `on its way, try ${delivery.attempts + 1}${delivery.error ? `: ${delivery.error}` : ''}`;
  }

  private async refresh(): Promise<void> {
    try {
      this.inbox.set(await this.standins.inbox());
      this.elsewhere.set(await this.standins.received());
      this.problem.set(null);
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
}
