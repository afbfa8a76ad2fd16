import { live, watch, type SharedEvent, type SharedSnapshot } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, signal, type OnDestroy } from '@angular/core';
import { Subject } from 'rxjs';
import { Api, ApiError, messageOf } from '../data/api';
import { LiveConnection, type LiveMessage } from '../data/live-connection';
import { nextLatest } from '../data/reducers';
import { worse } from '../data/selectors';
import { Hatches } from '../parts/hatches';
import { Mark } from '../parts/mark';
import { OutputStrip } from '../parts/output-strip';
import { ReadingStrip } from '../parts/reading-strip';
import { SeverityGlyph } from '../parts/severity-glyph';
import { dayAndTime, timeOfDay } from '../parts/times';
import { Trace, type TraceSource } from '../parts/trace';
import { bandsOf, seriesOf, staffLimits } from './strip-groups';

type SharedPoint = SharedSnapshot['points'][number];

/** What the holder of a share link sees: one dashboard, live, and nothing else. */
@Component({
  selector: 'dp-shared',
  imports: [Hatches, Mark, OutputStrip, ReadingStrip, SeverityGlyph, Trace],
  templateUrl: './shared.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Shared implements OnDestroy {
  private readonly api = inject(Api);
  protected readonly seen = signal<SharedSnapshot | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly connected = signal(true);
  protected readonly generation = signal(0);
  private readonly readings = new Subject<Parameters<Parameters<TraceSource['listen']>[0]>[0]>();
  private after = -1;
  private readonly connection = new LiveConnection('/api/v1/shared/live', (message) => this.take(message));

  protected readonly latest = computed(() => new Map((this.seen()?.latest ?? []).map((one) => [one.point, one])));
  protected readonly relays = computed(() => new Map((this.seen()?.relays ?? []).map((one) => [one.point, one])));
  protected readonly open = computed(() => (this.seen()?.alerts ?? []).filter((alert) => alert.clearedAt === null));
  protected readonly groups = computed(() =>
    [...Map.groupBy(this.seen()?.points ?? [], (point) => point.room)].map(([room, points]) => ({ room, points })),
  );
  protected readonly series = computed(() => seriesOf([...(this.seen()?.points ?? [])].slice(0, 4), false), {
    equal: (a, b) => a.map((s) => s.id).join() === b.map((s) => s.id).join(),
  });
  protected readonly bands = computed(() => bandsOf((this.seen()?.points ?? []).slice(0, 4), this.seen()?.thresholds ?? []));
  protected readonly source: TraceSource = {
    history: async (id, from, to) =>
      (await this.api.call(watch.sharedHistory, { params: { id }, query: { from: String(from), to: String(to), max: 1600 } })).readings,
    listen: (take) => {
      const subscription = this.readings.subscribe(take);
      return () => subscription.unsubscribe();
    },
  };

  constructor() {
    void this.begin();
    document.addEventListener('visibilitychange', this.onVisibility);
  }
  ngOnDestroy(): void {
    this.connection.forget();
    document.removeEventListener('visibilitychange', this.onVisibility);
  }

  /** Where an alert is: its room, and the point where others of the room are called alike. */
  protected placeOf(alert: SharedSnapshot['alerts'][number]): string {
    const point = this.seen()?.points.find((one) => one.id === alert.point);
    if (!point) return '';
    return / \d+$/.test(point.label) ? `: ${point.label}, ${point.room}` : `, ${point.room}`;
  }
  protected severity(point: SharedPoint) {
    return this.open()
      .filter((alert) => alert.point === point.id)
      .reduce<ReturnType<typeof worse> | null>((worst, alert) => worse(worst, alert.severity), null);
  }
  protected limits(point: SharedPoint) {
    return staffLimits((this.seen()?.thresholds ?? []).filter((threshold) => threshold.point === point.id));
  }
  /** An onlooker learns whether an output is on, not why, nor until when. */
  protected outputPoint(point: SharedPoint) {
    return { ...point, node: '', name: '', output: null };
  }
  protected relay(point: SharedPoint) {
    const relay = this.relays().get(point.id);
    return relay
      ? {
          ...relay,
          since: null,
          result: null,
          reason: null,
          heldUntil: null,
          timetable: null,
          askedBy: null,
          askedFor: null,
          lock: null,
          endsAt: null,
          offAt: null,
          leaseUntil: null,
          renewing: true,
          wear: null,
          heldOffBy: null,
          limits: null,
          limitedBy: null,
          today: null,
        }
      : null;
  }
  protected at(ms: number): string {
    return timeOfDay(ms, this.seen()?.site.timezone ?? 'UTC');
  }
  protected until(ms: number): string {
    return dayAndTime(ms, this.seen()?.site.timezone ?? 'UTC');
  }

  private readonly onVisibility = (): void => {
    if (document.hidden) this.connection.stop();
    else if (this.seen()) this.connection.start();
  };

  /** Posts the token once; it is in the fragment, which no server sees, and is taken out of the address after. */
  private async begin(): Promise<void> {
    const token = location.hash.slice(1);
    try {
      if (token) {
        await this.api.call(watch.openShare, { body: { token } });
        sessionStorage.setItem('dewpost.share', token);
        history.replaceState(null, '', '/s');
      }
      await this.load();
    } catch (error) {
      const kept = sessionStorage.getItem('dewpost.share');
      // The server forgets its cookies when it starts anew: the token of this tab opens it again.
      if (error instanceof ApiError && error.status === 401 && !token && kept) {
        sessionStorage.removeItem('dewpost.share');
        location.hash = kept;
        await this.begin();
        return;
      }
      this.problem.set(messageOf(error));
    }
  }

  private async load(): Promise<void> {
    const snapshot = await this.api.call(live.sharedSnapshot, {});
    this.after = Number(snapshot.live.split('-')[1]);
    this.seen.set(snapshot);
    this.connection.start(snapshot.live);
    this.generation.update((n) => n + 1);
  }

  private take(message: LiveMessage): void {
    switch (message.kind) {
      case 'frame':
        if (message.sequence > this.after) for (const event of message.events as SharedEvent[]) this.apply(event);
        this.after = Math.max(this.after, message.sequence);
        break;
      case 'link':
        this.connected.set(message.connected);
        break;
      case 'reset':
        this.load().catch((error: unknown) => this.problem.set(messageOf(error)));
        break;
      case 'ended':
        this.seen.set(null);
        this.problem.set('This link has ended: ask whoever gave it to you for a new one.');
        break;
    }
  }

  private apply(event: SharedEvent): void {
    this.seen.update((before) => {
      if (!before) return before;
      switch (event.type) {
        case 'readings': {
          const latest = new Map(before.latest.map((one) => [one.point, one]));
          for (const [point, at, value, quality, reason] of event.readings)
            latest.set(point, nextLatest(latest.get(point), { point, at, value, quality, reason }));
          return { ...before, latest: [...latest.values()] };
        }
        case 'alert':
          return { ...before, alerts: [...before.alerts.filter((alert) => alert.id !== event.alert.id), event.alert] };
        case 'relay':
          return { ...before, relays: [...before.relays.filter((relay) => relay.point !== event.relay.point), event.relay] };
      }
    });
    if (event.type === 'readings') this.readings.next(event.readings);
  }
}
