import { calibrate, watch, type Point } from '@dewpost/contract';
import { freshForMs } from '@dewpost/core/alarm';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal, type OnDestroy } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatDialog } from '@angular/material/dialog';
import { MatIcon } from '@angular/material/icon';
import { Router, RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Link } from 'lucide';
import { Api } from '../data/api';
import { LiveFeed } from '../data/live-feed';
import { allAlerts, allDeliveries, allLatest, allNodes, allPoints, allRelays, allThresholds, placeFeature } from '../data/reducers';
import { actsAt, isWaiting, selectSeverityByPoint, selectThresholdsByPoint, selectTimezone } from '../data/selectors';
import { nodeNames } from '../data/node-names';
import { useIcons } from '../parts/icons';
import { Clock } from '../parts/clock';
import { OutputStrip } from '../parts/output-strip';
import { ReadingStrip } from '../parts/reading-strip';
import { SeverityGlyph } from '../parts/severity-glyph';
import { timeOrDay } from '../parts/times';
import { Trace, type TraceSource } from '../parts/trace';
import { Acknowledging } from '../shell/acknowledging';
import { Drawers } from '../shell/drawers';
import { Selection } from '../shell/selection';
import { openSwitchDialog } from '../parts/switch-dialog';
import { ShareDrawer } from './share-drawer';
import { bandsOf, seriesOf, staffLimits } from './strip-groups';

const KEPT = 'dewpost.dashboard';

/** A dashboard that built itself from the points of a room's nodes: strips, one trace, what happened today. */
@Component({
  selector: 'dp-dashboard',
  imports: [MatButton, MatButtonToggleModule, MatIcon, OutputStrip, ReadingStrip, RouterLink, SeverityGlyph, ShareDrawer, Trace],
  templateUrl: './dashboard.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DashboardPage implements OnDestroy {
  protected readonly nameOf = nodeNames();
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly feed = inject(LiveFeed);
  private readonly router = inject(Router);
  private readonly dialogs = inject(MatDialog);
  private readonly selection = inject(Selection);
  protected readonly drawers = inject(Drawers);
  protected readonly acknowledging = inject(Acknowledging);
  readonly slug = input<string>();

  constructor() {
    useIcons({ link: Link });
  }

  protected readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  protected readonly zone = this.store.selectSignal(selectTimezone);
  private readonly points = this.store.selectSignal(allPoints.selectEntities);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  protected readonly latest = this.store.selectSignal(allLatest.selectEntities);
  protected readonly relays = this.store.selectSignal(allRelays.selectEntities);
  protected readonly severities = this.store.selectSignal(selectSeverityByPoint);
  private readonly thresholds = this.store.selectSignal(selectThresholdsByPoint);
  private readonly everyThreshold = this.store.selectSignal(allThresholds.selectAll);
  private readonly alerts = this.store.selectSignal(allAlerts.selectAll);
  private readonly deliveries = this.store.selectSignal(allDeliveries.selectAll);

  protected readonly hours = signal(1);
  protected readonly spans = [
    [0.25, '15 min'],
    [1, '1 h'],
    [24, '24 h'],
  ] as const;
  protected readonly generation = signal(0);
  private readonly restarts = this.feed.restarted.subscribe(() => this.generation.update((n) => n + 1));

  protected readonly dashboards = computed(() => this.place().dashboards);
  protected readonly current = computed(() => {
    const all = this.dashboards();
    const wanted = this.slug() ?? localStorage.getItem(KEPT) ?? '';
    return all.find((dashboard) => dashboard.slug === wanted) ?? all.find((dashboard) => dashboard.slug !== 'all') ?? all[0] ?? null;
  });
  private readonly shown = computed(() => (this.current()?.points ?? []).flatMap((id) => this.points()[id] ?? []));
  /** The node whose points the trace draws: the one chosen in the roster, else the one in alarm, else the first. */
  protected readonly traced = computed(() => {
    const nodes = [...new Set(this.shown().map((point) => point.node))];
    const alarmed = this.shown().find((point) => this.severities().has(point.id))?.node;
    return (
      nodes.find((node) => this.selection.nodes().has(node)) ??
      alarmed ??
      nodes.find((node) => this.nodes()[node]?.heardAt !== null) ??
      nodes[0] ??
      null
    );
  });
  protected readonly groups = computed(() => {
    const byRoom = Map.groupBy(this.shown(), (point) => this.nodes()[point.node]?.room ?? '');
    return [...byRoom].map(([room, points]) => ({ room, points }));
  });
  protected readonly series = computed(
    () =>
      seriesOf(
        this.shown().filter((point) => point.node === this.traced()),
        false,
      ),
    { equal: (a, b) => a.map((s) => s.id).join() === b.map((s) => s.id).join() },
  );
  private readonly clock = inject(Clock);
  /** What is drawn, every reading of it, for a spreadsheet: up to now, from a whole minute on. */
  protected readonly readingsCsv = computed(() => {
    const from = Math.floor(this.clock.now() / 60_000) * 60_000 - this.hours() * 3_600_000;
    const points = this.series().flatMap(({ id }) => {
      const point = this.points()[id];
      return point ? [`${point.node}/${point.name}`] : [];
    });
    return `${calibrate.exportCsv.path}?${new URLSearchParams({ points: points.join(','), from: String(from) }).toString()}`;
  });
  protected readonly bands = computed(() => {
    const mine = this.shown().filter((point) => point.node === this.traced() && !point.uncalibrated);
    return bandsOf(mine, this.everyThreshold());
  });
  protected readonly source: TraceSource = {
    history: async (id, from, to) => {
      const point = this.points()[id];
      if (!point) return [];
      const history = await this.api.call(watch.history, {
        params: { node: point.node, point: point.name },
        query: { from: String(from), to: String(to), max: 1600 },
      });
      return history.readings;
    },
    listen: (take) => {
      const subscription = this.feed.readings.subscribe(take);
      return () => subscription.unsubscribe();
    },
  };
  protected readonly waiting = computed(() => this.alerts().filter(isWaiting).slice(0, 12));
  protected readonly before = computed(() =>
    this.alerts()
      .filter((alert) => alert.acknowledgedAt !== null || alert.earlier || alert.journal)
      .slice(0, 30),
  );

  ngOnDestroy(): void {
    this.restarts.unsubscribe();
    if (this.drawers.shown() === 'share') this.drawers.close();
  }

  /** An output that was not operated and seen in place is switched by nobody. */
  protected switchable(point: Point): boolean {
    return actsAt(this.nodes()[point.node], point.name);
  }
  protected choose(slug: string): void {
    localStorage.setItem(KEPT, slug);
    void this.router.navigate(['/watch', slug]);
  }
  protected limits(point: Point) {
    // A limit in percent has no place on a scale of counts.
    return point.uncalibrated ? [] : staffLimits(this.thresholds().get(point.id) ?? []);
  }
  protected silent(point: Point): boolean {
    return this.nodes()[point.node]?.silent ?? false;
  }
  protected freshMs(point: Point): number {
    return Math.max(5000, freshForMs(point.everySeconds ?? this.nodes()[point.node]?.reportSeconds ?? 30));
  }
  protected at(ms: number): string {
    return timeOrDay(ms, this.clock.now(), this.zone());
  }
  protected told(alert: number): string {
    const delivery = this.deliveries().find((one) => one.alert === alert);
    if (!delivery) return 'Nobody told: there is no route.';
    if (delivery.state !== 'delivered' && delivery.attempts > 0)
      return `Nobody was told: ${delivery.error ?? 'no answer'} (${counted(delivery.attempts, 'try', 'tries')})`;
    return delivery.state === 'delivered'
      ? `Told: ${delivery.message.to}, ${this.at(delivery.deliveredAt ?? 0)}`
      : `Telling ${delivery.message.to}`;
  }
  protected number(value: number | null, point: number | null): string {
    const known = point === null ? undefined : this.points()[point];
    return known ? `${formatNumber(value, known.decimals)} ${known.unit}` : '';
  }
  protected switch(point: Point): void {
    openSwitchDialog(this.dialogs, point, this.nodes()[point.node]?.room ?? '');
  }
}
