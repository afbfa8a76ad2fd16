import { provision, type Report, type Run } from '@dewpost/contract';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatTableModule } from '@angular/material/table';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Counted } from '../parts/counted';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { dayAndTime } from '../parts/times';
import { newestWriting, verdictOf } from './commissioning';
import { ProvisionPages } from './provision-pages';
import { STEP_TITLES } from './step-titles';

/** The commissioning report of one node, or of every node of a batch, to print or keep as PDF: a page each. */
@Component({
  selector: 'dp-report',
  imports: [Counted, MatButton, MatTableModule, ProvisionPages, RouterLink],
  template: `<header class="page-head">
      <div class="title">
        <h1>Commissioning report</h1>
        <small>{{ site()?.name }}, {{ complete() }} of {{ blocks().length }} complete, made {{ when(now) }} by {{ me()?.name }}</small>
      </div>
      <div class="tools">
        <a matButton="outlined" routerLink="/provision/ledger">Back to the ledger</a>
        <button matButton="filled" type="button" [disabled]="blocks().length === 0" (click)="print()">Print the report</button>
      </div>
      <dp-provision-pages />
    </header>
    @if (problem(); as text) {
      <p class="said" role="alert">{{ text }}</p>
    } @else if (!read.hasValue()) {
      <p class="waiting">Reading what is on record</p>
    } @else {
      <div class="work">
        <div class="main" tabindex="0" role="region" aria-label="Report">
          @for (one of blocks(); track one.node.id) {
            <section class="part-of-sheet node" [attr.aria-labelledby]="'r-' + one.node.id">
              <h2 [id]="'r-' + one.node.id">
                <span class="mono">{{ one.node.id }}</span>, {{ one.node.room }}
              </h2>
              <p [class.wrong]="!one.verdict.complete">
                <b>{{ one.verdict.complete ? 'Complete' : 'Not complete' }}</b>{{
                  one.verdict.complete ? ': written, proved, and fitted in place.' : ': ' + one.verdict.missing.join('; ') + '.'
                }}
              </p>
              <dl>
                <dt>Build sheet</dt>
                <dd>{{ one.sheet }}, version {{ one.version }}</dd>
                <dt>Board</dt>
                <dd class="mono">{{ one.run?.hardwareId ?? one.node.hardwareId ?? 'none yet' }}</dd>
                <dt>Image</dt>
                <dd>
                  <span class="mono">{{ one.run?.firmware ?? 'none' }}</span> <span class="quiet mono">{{ one.run?.imageSha256 }}</span>
                </dd>
                <dt>Configuration</dt>
                <dd>
                  revision {{ one.node.revision }}, confirmed {{ one.node.haveRevision ?? 'none' }}
                  <span class="quiet mono">{{ one.run?.configurationSha256 }}</span>
                </dd>
              </dl>
              @for (run of one.runs; track run.id) {
                <table mat-table [dataSource]="run.steps">
                  <caption>
                    {{
                      runWords(run)
                    }}
                  </caption>
                  <ng-container matColumnDef="mark">
                    <td mat-cell *matCellDef="let step" class="margin" [class.stop]="step.state === 'failed'">
                      {{ step.state === 'failed' ? '×' : '' }}
                    </td>
                  </ng-container>
                  <ng-container matColumnDef="step">
                    <td mat-cell *matCellDef="let step" class="row-head">{{ titleOf(step) }}</td>
                  </ng-container>
                  <ng-container matColumnDef="took">
                    <td mat-cell *matCellDef="let step" class="mono">{{ step.ms === null ? '' : span(step.ms) }}</td>
                  </ng-container>
                  <ng-container matColumnDef="evidence">
                    <td mat-cell *matCellDef="let step">{{ step.detail }}</td>
                  </ng-container>
                  <tr mat-row *matRowDef="let row; columns: stepColumns"></tr>
                  <tr class="mat-row" *matNoDataRow>
                    <td class="quiet nothing" colspan="4">nothing was done in it</td>
                  </tr>
                </table>
              }
              <table mat-table [dataSource]="one.fit.needs">
                <caption>
                  In place{{
                    one.fit.fittedAt === null ? '' : ', fitted ' + when(one.fit.fittedAt) + ', by ' + one.fit.fittedBy
                  }}
                </caption>
                <ng-container matColumnDef="mark">
                  <td mat-cell *matCellDef="let need" class="margin" [class.stop]="need.state === 'failed'">
                    {{ need.state === 'failed' ? '×' : '' }}
                  </td>
                </ng-container>
                <ng-container matColumnDef="need">
                  <td mat-cell *matCellDef="let need" class="row-head">{{ need.label }}</td>
                </ng-container>
                <ng-container matColumnDef="state">
                  <td mat-cell *matCellDef="let need">{{ need.state === 'open' ? 'not done' : need.state }}</td>
                </ng-container>
                <ng-container matColumnDef="evidence">
                  <td mat-cell *matCellDef="let need">
                    {{ need.detail }}
                    @if (need.at !== null) {
                      <span class="quiet">{{ need.by }}, {{ when(need.at) }}</span>
                    }
                  </td>
                </ng-container>
                <tr mat-row *matRowDef="let row; columns: needColumns"></tr>
              </table>
              @if (one.steps.length > 0) {
                <p>
                  Assembly: {{ one.ticks.length }} of {{ one.steps.length | counted: 'step' }} ticked off{{
                    one.ticks.length > 0 ? ', by ' + one.tickers : ''
                  }}.
                </p>
              }
              @if (one.fit.photos.length > 0) {
                <p class="photos">
                  @for (photo of one.fit.photos; track photo.id) {
                    <img
                      [src]="'/api/v1/nodes/' + one.node.id + '/photos/' + photo.id"
                      [alt]="photo.note || 'Photo of ' + one.node.id"
                      loading="lazy"
                    />
                  }
                </p>
              }
              <p class="sign">Seen by <span></span> on <span></span></p>
            </section>
          } @empty {
            <p class="waiting">Choose a run or a batch in the ledger first.</p>
          }
        </div>
      </div>
    }`,
  styles: `
    .node {
      padding-bottom: 16px;
      border-bottom: 1px solid var(--rule);
    }
    dl {
      display: grid;
      grid-template-columns: 110px 1fr;
      gap: 2px 12px;
      padding: 6px 0;
    }
    dd {
      overflow-wrap: anywhere;
    }
    dt {
      color: var(--ink-2);
    }
    dd .mono.quiet {
      display: block;
      font-size: 11px;
    }
    table {
      margin: 8px 0 0 -56px;
      width: calc(100% + 56px);
    }
    caption {
      text-align: left;
      font-weight: 650;
      padding: 8px 16px 4px 56px;
    }
    .row-head {
      width: 190px;
    }
    .mat-column-took,
    .mat-column-state {
      width: 90px;
    }
    .nothing {
      padding: 8px 56px;
    }
    .stop {
      color: var(--carmine);
      font-weight: 700;
    }
    .wrong {
      color: var(--carmine);
    }
    .photos {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      padding-top: 8px;
    }
    .photos img {
      max-width: 220px;
      max-height: 160px;
    }
    .sign {
      display: none;
    }
    @media (max-width: 899px) {
      table {
        margin-left: 0;
        width: 100%;
      }
      .margin {
        width: 16px;
      }
      caption {
        padding-left: 0;
      }
      .row-head {
        width: 110px;
        padding-left: 0;
      }
      dl {
        grid-template-columns: 1fr;
      }
    }
    @media print {
      .node {
        break-after: page;
        border: 0;
      }
      .node:last-of-type {
        break-after: auto;
      }
      .sign {
        display: block;
        padding-top: 28px;
      }
      .sign span {
        display: inline-block;
        width: 180px;
        border-bottom: 1px solid #444;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReportPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  /** From the address: names with commas between them, or the number of a batch. */
  readonly nodes = input<string>();
  readonly batch = input<string>();
  protected readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly site = this.store.selectSignal(placeFeature.selectSite);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly stepColumns = ['mark', 'step', 'took', 'evidence'];
  protected readonly needColumns = ['mark', 'need', 'state', 'evidence'];
  protected readonly now = Date.now();
  protected readonly titleOf = ({ step }: Run['steps'][number]): string => STEP_TITLES[step];
  protected readonly read = resource({
    params: () => ({ nodes: this.nodes(), batch: this.batch() }),
    loader: async ({ params: { nodes, batch } }): Promise<Report[]> => {
      let names = (nodes ?? '').split(',').filter((name) => name !== '');
      if (batch !== undefined) {
        const found = (await this.api.call(provision.batches, {})).find((one) => one.id === Number(batch));
        if (!found) throw new Error(`There is no batch ${batch} among the last twenty: choose its nodes in the ledger.`);
        names = found.nodes.map((one) => one.node);
      }
      return Promise.all(names.map((id) => this.api.call(provision.report, { params: { id } })));
    },
  });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly blocks = computed(() =>
    (this.read.hasValue() ? this.read.value() : []).map((one) => ({
      ...one,
      run: newestWriting(one.runs),
      verdict: verdictOf(one),
      tickers: [...new Set(one.ticks.map((tick) => tick.by))].join(', '),
    })),
  );
  protected readonly complete = computed(() => this.blocks().filter((one) => one.verdict.complete).length);

  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected runWords(run: Run): string {
    const way = { air: 'over the air', elsewhere: 'written elsewhere', serial: 'at the bench' }[run.way];
    return `Run ${run.id}, ${way}, ${this.when(run.startedAt)}, by ${run.by}: ${run.result}`;
  }
  protected span(ms: number): string {
    return ms < 1000 ? `${Math.round(ms)} ms` : formatDuration(ms);
  }
  protected print(): void {
    window.print();
  }
}
