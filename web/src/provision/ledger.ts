import { BENCH_STEPS, provision, type Run } from '@dewpost/contract';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { MatTableModule } from '@angular/material/table';
import { MatTooltip } from '@angular/material/tooltip';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Counted } from '../parts/counted';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { downloadCsv } from '../parts/download-csv';
import { MoreTools } from '../parts/more-tools';
import { dayAndTime } from '../parts/times';
import { ProvisionPages } from './provision-pages';
import { STEP_TITLES } from './step-titles';

/** The ledger: every attempt to write and prove a node, who, when, what, with the evidence of each step. Filter, CSV, and a report to print. */
@Component({
  selector: 'dp-ledger',
  imports: [
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
  template: `<header class="page-head">
      <div class="title">
        <h1>Ledger</h1>
        <small>{{ rows().length }} of {{ count() }} runs; nothing in it is ever changed</small>
      </div>
      <div class="tools">
        <dp-more-tools>
          <button matButton="outlined" type="button" [disabled]="rows().length === 0" (click)="csv()">Runs as CSV</button>
          <button matButton="outlined" type="button" [disabled]="rows().length === 0" (click)="print()">Print the ledger</button>
        </dp-more-tools>
        @if (rows().length > 0 || batch() !== null) {
          <a matButton="outlined" routerLink="/provision/report" [queryParams]="reportOf()">{{
            batch() === null ? 'Report of these nodes' : 'Report of the batch'
          }}</a>
        }
      </div>
      <dp-provision-pages />
    </header>
    @if (problem(); as text) {
      <p class="said" role="alert">{{ text }}</p>
    } @else if (!read.hasValue()) {
      <p class="waiting">Reading the ledger</p>
    } @else {
      <div class="work">
        <div class="main" tabindex="0" role="region" aria-label="Runs">
          <p class="filter no-print">
            <mat-form-field>
              <mat-label>Search</mat-label>
              <input
                matInput
                #typed
                type="search"
                placeholder="node, board, person, image"
                [value]="search()"
                (input)="search.set(typed.value)"
              />
            </mat-form-field>
            <mat-form-field>
              <mat-label>Batch</mat-label>
              <mat-select
                [value]="batch()"
                (selectionChange)="batch.set($event.value)"
                canSelectNullableOptions
                hideSingleSelectionIndicator
              >
                <mat-option [value]="null">every batch</mat-option>
                @for (one of batches(); track one.id) {
                  <mat-option [value]="one.id"
                    >batch {{ one.id }}, {{ when(one.madeAt) }}, {{ one.nodes.length | counted: 'node' }}</mat-option
                  >
                }
              </mat-select>
            </mat-form-field>
            <mat-button-toggle-group
              hideSingleSelectionIndicator
              aria-label="Result"
              [value]="result()"
              (change)="result.set($event.value)"
            >
              @for (one of results; track one) {
                <mat-button-toggle [value]="one">{{ one }}</mat-button-toggle>
              }
            </mat-button-toggle-group>
          </p>
          <table mat-table class="as-pairs" [dataSource]="rows()" [trackBy]="byId">
            <caption class="out-of-sight">
              Runs, the newest first
            </caption>
            <ng-container matColumnDef="mark">
              <th mat-header-cell *matHeaderCellDef class="margin"></th>
              <td mat-cell *matCellDef="let run" class="margin stop">{{ run.result === 'stopped' ? '×' : '' }}</td>
            </ng-container>
            <ng-container matColumnDef="node">
              <th mat-header-cell *matHeaderCellDef>Node</th>
              <td mat-cell *matCellDef="let run" class="row-head">
                <a class="mono" routerLink="/provision/report" [queryParams]="{ nodes: run.node }" matTooltip="Its commissioning report">{{
                  run.node
                }}</a>
              </td>
            </ng-container>
            <ng-container matColumnDef="when">
              <th mat-header-cell *matHeaderCellDef>When, by whom</th>
              <td mat-cell *matCellDef="let run" data-label="When">
                <span
                  >{{ when(run.startedAt) }}<br /><span class="quiet">{{ run.by }}</span></span
                >
              </td>
            </ng-container>
            <ng-container matColumnDef="image">
              <th mat-header-cell *matHeaderCellDef>Image and configuration</th>
              <td mat-cell *matCellDef="let run" data-label="Image">
                <span>
                  <span class="mono">{{ run.firmware }}</span><br />
                  <span class="quiet mono digest"
                    >{{ run.imageSha256?.slice(0, 12) ?? '–' }} / {{ run.configurationSha256?.slice(0, 12) ?? '–' }}</span
                  >
                </span>
              </td>
            </ng-container>
            <ng-container matColumnDef="board">
              <th mat-header-cell *matHeaderCellDef>Board</th>
              <td mat-cell *matCellDef="let run" data-label="Board" class="mono">{{ run.hardwareId ?? '–' }}</td>
            </ng-container>
            <ng-container matColumnDef="steps">
              <th mat-header-cell *matHeaderCellDef>Steps</th>
              <td mat-cell *matCellDef="let run" data-label="Steps" class="steps">
                <span>
                  @for (step of run.steps; track $index) {
                    <p [class.wrong]="step.state === 'failed'">
                      <b>{{ titleOf(step) }}</b> {{ step.ms === null ? '' : span(step.ms) }}
                      <span class="quiet">{{ step.detail }}</span>
                    </p>
                  } @empty {
                    <span class="quiet">none</span>
                  }
                </span>
              </td>
            </ng-container>
            <ng-container matColumnDef="result">
              <th mat-header-cell *matHeaderCellDef>Result</th>
              <td mat-cell *matCellDef="let run" data-label="Result">{{ run.result }}</td>
            </ng-container>
            <tr mat-header-row *matHeaderRowDef="columns; sticky: true"></tr>
            <tr mat-row *matRowDef="let row; columns: columns"></tr>
            <tr class="mat-row" *matNoDataRow>
              <td class="quiet nothing" colspan="7">
                {{ count() === 0 ? 'Nothing was written yet. Every run is kept here, also those that stop.' : 'No run fits the search.' }}
              </td>
            </tr>
          </table>
        </div>
      </div>
    }`,
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
