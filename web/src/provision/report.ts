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
  templateUrl: './report.html',
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
