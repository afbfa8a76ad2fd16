import { respond, type Point, type Threshold } from '@dewpost/contract';
import { formatNumber, formatSpan } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { MatSnackBar } from '@angular/material/snack-bar';
import { Store } from '@ngrx/store';
import { Plus } from 'lucide';
import { Api, messageOf } from '../data/api';
import { allLatest, allNodes, allPoints, allThresholds, placeFeature } from '../data/reducers';
import { selectSeverityByPoint } from '../data/selectors';
import { Icon } from '../parts/icon';
import { SeverityGlyph } from '../parts/severity-glyph';
import { openThresholdDialog } from './threshold-dialog';
import { RespondPages } from './sub-pages';

/** All thresholds, by node and point, with what each switches; new ones are armed here. */
@Component({
  selector: 'dp-thresholds',
  imports: [Icon, RespondPages, SeverityGlyph],
  templateUrl: './thresholds.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Thresholds {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly dialogs = inject(MatDialog);
  private readonly notices = inject(MatSnackBar);
  protected readonly plus = Plus;
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

  protected limit({ threshold, point }: { threshold: Threshold; point: Point }): string {
    return `${threshold.side === 'high' ? 'at or above' : 'at or below'} ${formatNumber(threshold.setpoint, point.decimals)} ${point.unit}`;
  }
  protected clear({ threshold, point }: { threshold: Threshold; point: Point }): string {
    return `${formatNumber(threshold.clearLevel, point.decimals)} ${point.unit}`;
  }
  protected delay(seconds: number): string {
    return seconds === 0 ? 'at once' : formatSpan(seconds);
  }
  protected output(threshold: Threshold): string {
    const output = threshold.output === null ? undefined : this.points()[threshold.output];
    return output ? `${output.label.toLowerCase()}, ${output.node}` : '–';
  }
  protected now(point: Point): string {
    return `${formatNumber(this.latest()[point.id]?.value, point.decimals)} ${point.unit}`;
  }
  protected armed(point: Point): boolean {
    const node = this.nodes()[point.node];
    return node?.state === 'proved' && node.fittedAt !== null;
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
