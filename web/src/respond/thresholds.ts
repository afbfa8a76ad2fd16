import { respond, type Point, type Threshold } from '@dewpost/contract';
import { formatNumber, formatSpan } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { MatIcon } from '@angular/material/icon';
import { MatSnackBar } from '@angular/material/snack-bar';
import { MatSort, MatSortHeader } from '@angular/material/sort';
import { MatTableModule } from '@angular/material/table';
import { Store } from '@ngrx/store';
import { Plus } from 'lucide';
import { Api, messageOf } from '../data/api';
import { allLatest, allNodes, allPoints, allThresholds, placeFeature } from '../data/reducers';
import { actsAt, selectSeverityByPoint } from '../data/selectors';
import { nodeNames } from '../data/node-names';
import { useIcons } from '../parts/icons';
import { LongRows, pagesOf } from '../parts/long-rows';
import { sortedRows } from '../parts/sorted-rows';
import { clearWords, limitWords } from './rule/rule-words';
import { SeverityGlyph } from '../parts/severity-glyph';
import { openThresholdDialog } from './threshold-dialog';
import { whenWords } from './rule/rule-when';
import { RoomRehearsal } from './record/room-rehearsal';
import { RulesTable } from './rules-table';
import { RespondPages } from './sub-pages';

interface ThresholdRow {
  readonly threshold: Threshold;
  readonly point: Point;
}

/** All thresholds, by node and point, with what each switches; new ones are armed here. */
@Component({
  selector: 'dp-thresholds',
  imports: [LongRows, MatButton, MatIcon, MatSort, MatSortHeader, MatTableModule, RespondPages, RoomRehearsal, RulesTable, SeverityGlyph],
  templateUrl: './thresholds.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Thresholds {
  protected readonly nameOf = nodeNames();
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly dialogs = inject(MatDialog);
  private readonly notices = inject(MatSnackBar);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectAll);
  private readonly points = this.store.selectSignal(allPoints.selectEntities);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly latest = this.store.selectSignal(allLatest.selectEntities);
  protected readonly severities = this.store.selectSignal(selectSeverityByPoint);
  protected readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  protected readonly maker = computed(() => this.place().me?.role === 'maker');
  protected readonly asking = signal<number | null>(null);
  protected readonly rows = computed(() =>
    this.thresholds()
      .flatMap((threshold) => {
        const point = this.points()[threshold.point];
        return point ? [{ threshold, point }] : [];
      })
      .sort((a, b) => a.point.node.localeCompare(b.point.node) || a.point.id - b.point.id || a.threshold.setpoint - b.threshold.setpoint),
  );

  protected readonly columns = ['severity', 'point', 'trips', 'on', 'clears', 'off', 'switches', 'now', 'tools'];
  protected readonly sorted = sortedRows<ThresholdRow>(this.rows, {
    point: ({ point }) => `${point.label} ${this.nameOf(point.node)}`,
    switches: ({ threshold }) => this.output(threshold),
  });
  protected readonly pages = pagesOf(this.sorted.rows);
  protected readonly byId = (_: number, { threshold }: ThresholdRow): number => threshold.id;

  constructor() {
    useIcons({ plus: Plus });
  }

  /** The severity that a row is tinted with while it stands open. */
  protected tripped({ threshold, point }: ThresholdRow): string {
    return threshold.phase === 'active' || this.severities().get(point.id) === threshold.severity ? threshold.severity : '';
  }
  /** Is its condition one figure, which is never broken into lines? */
  protected isFigure({ judges, also }: Threshold): boolean {
    return judges.kind === 'value' && also === null;
  }
  protected limit({ threshold, point }: ThresholdRow): string {
    const other = threshold.also && this.points()[threshold.also.point];
    return `${limitWords(threshold, point.calibratesTo)}${other ? `, ${threshold.also?.join} by ${other.label.toLowerCase()}` : ''}`;
  }
  protected clear({ threshold, point }: ThresholdRow): string {
    return threshold.latching ? 'once reset' : clearWords(threshold, point.calibratesTo);
  }
  protected delay(seconds: number): string {
    return seconds === 0 ? 'at once' : formatSpan(seconds);
  }
  /** When it is judged, where that is not always. */
  protected when({ hours, unless }: Threshold): string {
    const other = unless === null ? undefined : this.thresholds().find(({ id }) => id === unless);
    const point = other && this.points()[other.point];
    return [whenWords(hours), point ? `not while ${point.label} stands` : ''].filter(Boolean).join('; ');
  }
  protected output(threshold: Threshold): string {
    const output = threshold.output === null ? undefined : this.points()[threshold.output];
    const what = threshold.consequences.filter((one) => one !== 'control').join(' and ');
    if (!output) return what;
    const then = threshold.then.map(({ output: next }) => `, then ${this.points()[next]?.label.toLowerCase() ?? 'what is gone'}`).join('');
    const switched = `${output.label.toLowerCase()} ${threshold.act}, ${this.nameOf(output.node)}${then}`;
    return what === '' ? `${switched}, silently` : `${switched}; ${what}`;
  }
  protected now(point: Point): string {
    return `${formatNumber(this.latest()[point.id]?.value, point.decimals)} ${point.unit}`;
  }
  protected armed(point: Point): boolean {
    return this.held(point) === '';
  }
  /** Why its rules do not act, to be said after its node; empty: they do. */
  protected held(point: Point): string {
    if (point.uncalibrated) return ', not calibrated yet: not judged';
    if (point.heldUntil !== null) return ', held while somebody works at it';
    return actsAt(this.nodes()[point.node], point.name) ? '' : ', unarmed until fitted';
  }
  protected edit(threshold: Threshold | null): void {
    openThresholdDialog(this.dialogs, threshold);
  }
  protected async retire(threshold: Threshold): Promise<void> {
    try {
      await this.api.call(respond.retireThreshold, { params: { id: threshold.id } });
      this.asking.set(null);
    } catch (error) {
      this.notices.open(messageOf(error), 'Close', { duration: 8000 });
    }
  }
}
