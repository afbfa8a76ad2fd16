import { BENCH_STEPS, provision, type Run } from '@dewpost/contract';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { MatSort, MatSortHeader } from '@angular/material/sort';
import { MatTableModule } from '@angular/material/table';
import { MatTooltip } from '@angular/material/tooltip';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Counted } from '../parts/counted';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { downloadCsv } from '../parts/download-csv';
import { LongRows, pagesOf } from '../parts/long-rows';
import { sortedRows } from '../parts/sorted-rows';
import { MoreTools } from '../parts/more-tools';
import { dayAndTime } from '../parts/times';
import { ProvisionPages } from './provision-pages';
import { STEP_TITLES } from './step-titles';

/** The ledger: every attempt to write and prove a node, who, when, what, with the evidence of each step. Filter, CSV, and a report to print. */
@Component({
  selector: 'dp-ledger',
  imports: [
    LongRows,
    MatSort,
    MatSortHeader,
    Counted,
    MatButton,
    MatButtonToggle,
    MatButtonToggleGroup,
    MatFormFieldModule,
    MatInput,
    MatSelectModule,
    MatTableModule,
    MatTooltip,
    MoreTools,
    ProvisionPages,
    RouterLink,
  ],
  templateUrl: './ledger.html',
  styles: `
    .filter {
      display: flex;
      flex-wrap: wrap;
      gap: 10px;
      align-items: center;
      padding: 10px 16px 8px 56px;
    }
    .filter mat-form-field {
      width: 240px;
    }
    .digest {
      font-size: 11px;
    }
    .steps p {
      font-size: 12px;
    }
    .wrong {
      color: var(--carmine);
    }
    td.mat-mdc-cell {
      vertical-align: top;
      padding-top: 6px;
      padding-bottom: 6px;
    }
    .stop {
      color: var(--carmine);
      font-weight: 700;
    }
    @media (max-width: 899px) {
      .filter {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Ledger {
  private readonly api = inject(Api);
  private readonly site = inject(Store).selectSignal(placeFeature.selectSite);
  protected readonly read = resource({ loader: () => this.api.call(provision.runs, {}) });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly columns = ['mark', 'node', 'when', 'image', 'board', 'steps', 'result'];
  protected readonly byId = (_: number, { id }: Run): number => id;
  protected readonly titleOf = ({ step }: Run['steps'][number]): string => STEP_TITLES[step];
  protected readonly search = signal('');
  protected readonly results = ['all', 'running', 'proved', 'stopped'] as const;
  protected readonly result = signal<(typeof this.results)[number]>('all');
  private readonly readBatches = resource({ loader: () => this.api.call(provision.batches, {}) });
  protected readonly batches = computed(() => (this.readBatches.hasValue() ? this.readBatches.value() : []));
  protected readonly batch = signal<number | null>(null);
  protected readonly count = computed(() => (this.read.hasValue() ? this.read.value().length : 0));
  protected readonly rows = computed((): Run[] => {
    const wanted = this.search().trim().toLowerCase();
    const batch = this.batches().find((one) => one.id === this.batch());
    return (this.read.hasValue() ? this.read.value() : []).filter(
      (run) =>
        (!batch || (run.startedAt >= batch.madeAt && batch.nodes.some((one) => one.node === run.node))) &&
        (this.result() === 'all' || run.result === this.result()) &&
        (wanted === '' ||
          [run.node, run.by, run.firmware, run.hardwareId ?? '', run.imageSha256 ?? ''].some((text) =>
            text.toLowerCase().includes(wanted),
          )),
    );
  });
  protected readonly sorted = sortedRows<Run>(this.rows, {
    node: ({ node }) => node,
    when: ({ startedAt }) => startedAt,
    image: ({ firmware }) => firmware,
    result: ({ result }) => result,
  });
  protected readonly pages = pagesOf(this.sorted.rows);

  /** What the report is asked for: the batch, or the nodes that are shown. */
  protected readonly reportOf = computed((): Record<string, string | number> => {
    const batch = this.batch();
    return batch === null ? { nodes: [...new Set(this.rows().map((run) => run.node))].join(',') } : { batch };
  });

  protected when(ms: number): string {
    return dayAndTime(ms, this.site()?.timezone ?? 'UTC');
  }
  protected span(ms: number): string {
    return ms < 1000 ? `${Math.round(ms)} ms` : formatDuration(ms);
  }
  protected print(): void {
    window.print();
  }
  protected csv(): void {
    downloadCsv('ledger.csv', [
      [
        'run',
        'node',
        'by',
        'started (UTC)',
        'ended (UTC)',
        'result',
        'image',
        'image sha256',
        'configuration sha256',
        'board',
        ...BENCH_STEPS,
      ],
      ...this.rows().map((run) => [
        String(run.id),
        run.node,
        run.by,
        new Date(run.startedAt).toISOString(),
        run.endedAt === null ? '' : new Date(run.endedAt).toISOString(),
        run.result,
        run.firmware,
        run.imageSha256 ?? '',
        run.configurationSha256 ?? '',
        run.hardwareId ?? '',
        ...BENCH_STEPS.map((name) =>
          run.steps
            .filter((step) => step.step === name)
            .map((step) => `${step.state}${step.code ? ` ${step.code}` : ''}: ${step.detail}`)
            .join(' | '),
        ),
      ]),
    ]);
  }
}
