import { alertCounts, type AlertOrigin } from '@dewpost/contract';
import { counted, formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatDialog } from '@angular/material/dialog';
import { MatTableModule } from '@angular/material/table';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allThresholds, placeFeature } from '../../data/reducers';
import { Clock } from '../../parts/clock';
import { RespondPages } from '../sub-pages';
import { openThresholdDialog } from '../threshold-dialog';
import { figuresOf, mendWords, severityWords } from './count-words';

const SPANS = [
  { days: 7, words: '7 d' },
  { days: 30, words: '30 d' },
  { days: 365, words: 'a year' },
] as const;

/** How many alerts there were, against what is published for one person, and who they came from, each with a way to mend it. */
@Component({
  selector: 'dp-counts-page',
  imports: [MatButton, MatButtonToggle, MatButtonToggleGroup, MatTableModule, RespondPages, RouterLink],
  templateUrl: './counts-page.html',
  styleUrl: './counts-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CountsPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly dialogs = inject(MatDialog);
  private readonly clock = inject(Clock);
  protected readonly nameOf = nodeNames();
  private readonly place = this.store.selectSignal(placeFeature.selectPlaceState);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectEntities);
  protected readonly spans = SPANS;
  protected readonly columns = ['what', 'count', 'fleeting', 'chattering', 'stands', 'mend'];
  protected readonly days = signal<number>(30);
  protected readonly read = resource({
    params: () => this.days(),
    loader: ({ params: days }) => this.api.call(alertCounts.read, { query: { days } }),
  });
  protected readonly load = computed(() => (this.read.hasValue() ? this.read.value() : null));
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly figures = computed(() => (this.load() ? figuresOf(this.load()!) : []));
  protected readonly severities = computed(() => (this.load() ? severityWords(this.load()!) : ''));
  protected readonly span = computed(() => {
    const load = this.load();
    return load
      ? `${counted(load.count, 'alert')} in ${counted(Math.max(1, Math.round((load.until - load.from) / 86_400_000)), 'day')}`
      : '';
  });
  protected readonly isMaker = computed(() => this.place().me?.role === 'maker');

  protected stands({ standsSince }: AlertOrigin): string {
    return standsSince === null ? '' : formatDuration(this.clock.now() - standsSince);
  }
  protected mend(origin: AlertOrigin): string {
    return mendWords(origin, this.clock.now());
  }
  /** Is there a rule to open for it? One that was taken away is told of, and gone. */
  protected hasRule({ threshold }: AlertOrigin): boolean {
    return threshold !== null && this.thresholds()[threshold] !== undefined;
  }
  protected openRule({ threshold }: AlertOrigin): void {
    const rule = threshold === null ? undefined : this.thresholds()[threshold];
    if (rule) openThresholdDialog(this.dialogs, rule);
  }
  protected again(): void {
    this.read.reload();
  }
}
