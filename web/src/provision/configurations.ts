import { provision } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { allNodes, placeFeature } from '../data/reducers';
import { Selection } from '../shell/selection';
import { ProvisionPages } from './provision-pages';

/** What a node is to hold, against what was last written to it; whole, with its secrets, only when it is downloaded on purpose. */
@Component({
  selector: 'dp-configurations',
  imports: [FormsModule, ProvisionPages],
  template: `<header class="page-head">
      <div class="title">
        <h1>Configurations</h1>
        <small>{{ behind().length }} nodes run an older revision than theirs</small>
      </div>
      <div class="tools">
        <label class="out-of-sight" for="c-node">Node</label>
        <select class="input mono" id="c-node" [ngModel]="node()" (ngModelChange)="picked.set($event)">
          @for (one of nodes(); track one.id) {
            <option [value]="one.id">{{ one.id }}</option>
          }
        </select>
      </div>
      <dp-provision-pages />
    </header>
    @if (problem(); as text) {
      <p class="said" role="alert">{{ text }}</p>
    } @else if (nodes().length === 0) {
      <p class="waiting">No nodes yet: make them from a build sheet.</p>
    } @else if (!read.hasValue()) {
      <p class="waiting">Reading the configuration of {{ node() }}</p>
    } @else {
      @let one = read.value();
      <div class="work">
        <div class="main" tabindex="0" role="region" aria-label="Configuration">
          <section class="part-of-sheet">
            <h2>{{ node() }}, revision {{ one.revision }}</h2>
            <p>
              {{
                !one.held
                  ? 'Nothing that was written is on record.'
                  : one.differences.length === 0
                    ? 'The same as what was last written.'
                    : one.differences.length + ' values differ from what was last written.'
              }}
              <span class="quiet"
                >Digest without secrets <span class="mono">{{ one.digest.slice(0, 16) }}</span></span
              >
            </p>
            @if (maker() && one.downloadable) {
              <p class="do">
                <a class="b small" [href]="address('json')" download>As JSON</a>
                <a class="b small" [href]="address('header')" download>As C header</a>
                <a class="b small" [href]="address('csv')" download>As key and value</a>
                <span class="quiet">These hold the key and the passphrases; each download is logged.</span>
              </p>
            } @else {
              <p class="quiet">
                {{
                  maker()
                    ? 'Its key is known to the node alone: write it again to give it a new one that can be handed out.'
                    : 'Whole configurations are for makers.'
                }}
              </p>
            }
          </section>
          @if (one.held && one.differences.length > 0) {
            <table class="ledger">
              <caption>
                What differs
              </caption>
              <thead>
                <tr>
                  <th class="margin"></th>
                  <th>Value</th>
                  <th>Last written</th>
                  <th>Now</th>
                </tr>
              </thead>
              <tbody>
                @for (row of one.differences; track row.key) {
                  <tr>
                    <td class="margin"></td>
                    <th scope="row" class="mono">{{ row.key }}</th>
                    <td class="mono">{{ row.before ?? 'not there' }}</td>
                    <td class="mono">{{ row.after ?? 'gone' }}</td>
                  </tr>
                }
              </tbody>
            </table>
          }
          <pre class="mono">{{ text() }}</pre>
        </div>
        <aside class="side" aria-label="Behind">
          <h2 class="side-head">Revisions</h2>
          @for (row of behind(); track row.id) {
            <p class="row">
              <span class="mono">{{ row.id }}</span>
              <span class="quiet">confirmed {{ row.haveRevision ?? 'none' }} of {{ row.revision }}</span>
            </p>
          } @empty {
            <p class="none">Every node that was heard has confirmed its revision.</p>
          }
        </aside>
      </div>
    }`,
  styles: `
    .tools .input {
      width: 200px;
    }
    .do {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
      padding-top: 8px;
    }
    pre {
      padding: 8px 16px 16px 56px;
      margin: 0;
      font-size: 11.5px;
      line-height: 16px;
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
    .row {
      padding: 4px 16px;
    }
    @media (max-width: 899px) {
      pre {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Configurations {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly selection = inject(Selection);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly nodes = this.store.selectSignal(allNodes.selectAll);
  protected readonly picked = signal<string | null>(null);
  protected readonly node = computed(() => this.picked() ?? [...this.selection.nodes()][0] ?? this.nodes()[0]?.id ?? null);
  protected readonly read = resource({
    params: () => this.node() ?? undefined,
    loader: ({ params: id }) => this.api.call(provision.configuration, { params: { id } }),
  });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly text = computed(() => (this.read.hasValue() ? JSON.stringify(this.read.value().configuration, null, 1) : ''));
  protected readonly behind = computed(() =>
    this.nodes().filter((node) => node.heardAt !== null && (node.haveRevision ?? 0) < node.revision),
  );

  protected address(form: 'json' | 'header' | 'csv'): string {
    return `/api/v1/nodes/${encodeURIComponent(this.node() ?? '')}/configuration/${form}`;
  }
}
