import type { Calibration, Point } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { Store } from '@ngrx/store';
import { nodeNames } from '../data/node-names';
import { allNodes, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { conversionWords } from '../parts/conversion-words';
import { LongRows, pagesOf } from '../parts/long-rows';
import { dateOnly, dayAndTime } from '../parts/times';

/** What is due within that is shown beforehand. */
const DUE_SOON_MS = 30 * 86_400_000;

/** What wants to be calibrated, what is due again, and what is calibrated. */
@Component({
  selector: 'dp-calibrate-list',
  imports: [LongRows],
  templateUrl: './calibrate-list.html',
  styleUrl: './calibrate.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CalibrateList {
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  readonly measured = input.required<readonly Point[]>();
  /** Calibrations in force, by point. */
  readonly kept = input.required<ReadonlyMap<number, Calibration>>();
  readonly picked = output<number>();

  protected readonly rows = computed(() =>
    this.measured()
      .filter((point) => this.kept().has(point.id))
      .map((point) => ({ point, calibration: this.kept().get(point.id) as Calibration })),
  );
  protected readonly pages = pagesOf(this.rows);
  /** Told in what their nodes send, until somebody calibrates them. */
  protected readonly bare = computed(() =>
    this.measured().filter((point) => point.uncalibrated && this.nodes()[point.node]?.state === 'proved'),
  );
  /** Copied from a like node, and confirmed by nobody here. */
  protected readonly inherited = computed(() => this.measured().filter((point) => point.inherited));
  /** What is due within a month, the most overdue first. */
  protected readonly due = computed(() => {
    const now = Date.now();
    return this.measured()
      .flatMap((point) => (point.calibrationDue === null ? [] : [{ point, at: point.calibrationDue, late: point.calibrationDue < now }]))
      .filter(({ at }) => at < now + DUE_SOON_MS)
      .sort((a, b) => a.at - b.at);
  });

  protected words({ coefficients }: Calibration): string {
    return conversionWords(coefficients);
  }
  protected date(ms: number): string {
    return dateOnly(ms, this.zone());
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
}
