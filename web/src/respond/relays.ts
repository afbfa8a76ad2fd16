import { respond, type Interlock, type Point, type Relay } from '@dewpost/contract';
import { limitsNothing, wearFigures } from '@dewpost/core/control';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatSnackBar } from '@angular/material/snack-bar';
import { Store } from '@ngrx/store';
import { TriangleAlert } from 'lucide';
import { Api, messageOf } from '../data/api';
import { allNodes, allPoints, allRelays, allThresholds, placeFeature } from '../data/reducers';
import { actsAt, selectTimezone } from '../data/selectors';
import { nodeNames } from '../data/node-names';
import { Clock } from '../parts/clock';
import { Icon } from '../parts/icon';
import { OutputStrip } from '../parts/output-strip';
import { outputWords } from '../parts/output-state';
import { openSwitchDialog } from '../parts/switch-dialog';
import { dayAndTime, timeOfDay } from '../parts/times';
import { followsAlone } from './alone';
import { InterlockLine } from './interlock-line';
import { LimitsLine } from './limits/limits-line';
import { LockLine } from './lock-line';
import { TimetableLine } from './timetable/timetable-line';
import { RespondPages } from './sub-pages';

/** Every output: the state read back, who asks for it, what guards it. */
@Component({
  selector: 'dp-relays',
  imports: [Icon, InterlockLine, LimitsLine, LockLine, MatButton, OutputStrip, RespondPages, TimetableLine],
  templateUrl: './relays.html',
  styles: `
    .wear {
      display: block;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Relays {
  protected readonly nameOf = nodeNames();
  private readonly store = inject(Store);
  private readonly dialogs = inject(MatDialog);
  private readonly clock = inject(Clock);
  private readonly api = inject(Api);
  private readonly notices = inject(MatSnackBar);
  protected readonly busy = signal(false);
  private readonly read = resource({ loader: () => this.api.call(respond.interlocks, {}) });
  /** As they were laid down here last. */
  protected readonly laid = signal<readonly Interlock[] | null>(null);
  protected readonly interlocks = computed(() => this.laid() ?? (this.read.hasValue() ? this.read.value() : []));
  protected readonly caution = TriangleAlert;
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly pointById = this.store.selectSignal(allPoints.selectEntities);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectAll);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  protected readonly relays = this.store.selectSignal(allRelays.selectEntities);
  protected readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  protected readonly outputs = computed(() => this.points().filter((point) => point.kind === 'switched'));
  protected readonly groups = computed(() =>
    [...Map.groupBy(this.outputs(), (point) => this.nodes()[point.node]?.room ?? '')].map(([room, points]) => ({ room, points })),
  );
  protected readonly summary = computed(() => {
    const on = this.outputs().filter((point) => this.relays()[point.id]?.state === true).length;
    return `${counted(this.outputs().length, 'output')}, ${on} on`;
  });
  protected asked(point: Point): string {
    return outputWords(point, this.relays()[point.id] ?? null, this.clock.now()).asked;
  }
  protected readBack(point: Point): string {
    const relay: Relay | undefined = this.relays()[point.id];
    const words = outputWords(point, relay ?? null, this.clock.now()).readBack;
    return relay?.readAt ? `${words}, ${timeOfDay(relay.readAt, this.zone(), true)}` : words;
  }
  /** A threshold whose sensor is on the same node goes on there with the link down, once the node has confirmed it. */
  protected alone(point: Point): string {
    const node = this.nodes()[point.node];
    const own = this.thresholds().some((one) => one.output === point.id && followsAlone(one, this.pointById()[one.point], point));
    const relay = this.relays()[point.id];
    // It knows neither hours of the day nor its limits, nor what another output does.
    const bound =
      relay?.timetable?.hours != null ||
      (relay?.limits != null && !limitsNothing(relay.limits)) ||
      this.interlocks().some(({ winner, loser }) => point.id === winner || point.id === loser);
    if (!own || bound || node?.fittedAt === null) return 'off';
    return (node?.haveRevision ?? 0) >= (node?.revision ?? 0)
      ? 'its node’s own thresholds go on'
      : 'off, until its node confirms its thresholds';
  }
  /** What it has done since it is counted, and how long its contact lasts yet; empty: it was never read back. */
  protected wear(point: Point): string {
    const wear = this.relays()[point.id]?.wear;
    if (!wear) return '';
    const { starts, runHours, startsPerDay, yearsLeft } = wearFigures(wear, this.clock.now());
    const left =
      yearsLeft === null ? '' : `; at ${formatNumber(startsPerDay, 1)} a day its contact lasts ${formatNumber(yearsLeft, 1)} years yet`;
    return `${counted(starts, 'start')} and ${formatNumber(runHours, 1)} h since ${dayAndTime(wear.since, this.zone())}${left}`;
  }
  /** Everything off: whoever asks for it. */
  protected async allSafe(): Promise<void> {
    this.busy.set(true);
    try {
      const relays = await this.api.call(respond.allSafe, { body: { reason: '' } });
      this.notices.open(`${counted(relays.length, 'output')} told to go off`, 'Close', { duration: 6000 });
    } catch (error) {
      this.notices.open(messageOf(error), 'Close', { duration: 8000 });
    }
    this.busy.set(false);
  }
  protected switchable(point: Point): boolean {
    return actsAt(this.nodes()[point.node], point.name);
  }
  protected switch(point: Point): void {
    openSwitchDialog(this.dialogs, point, this.nodes()[point.node]?.room ?? '');
  }
}
