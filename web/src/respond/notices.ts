import { respond } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, resource } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Store } from '@ngrx/store';
import { interval } from 'rxjs';
import { Api, messageOf } from '../data/api';
import { nodeNames } from '../data/node-names';
import { selectTimezone } from '../data/selectors';
import { PlainTable, type PlainColumn } from '../parts/plain-table';
import { dayAndTime } from '../parts/times';
import { RespondPages } from './sub-pages';

const COLUMNS: readonly PlainColumn[] = [
  { id: 'at', label: 'When', kind: 'figure' },
  { id: 'title', label: 'What', kind: 'head' },
  { id: 'node', label: 'Node', kind: 'words' },
  { id: 'told', label: 'Told', kind: 'words' },
];
const LOOK_MS = 5000;

/** Notices: what somebody wanted to hear of. Nobody has to acknowledge them, and they are counted apart from alerts. */
@Component({
  selector: 'dp-notices',
  imports: [PlainTable, RespondPages],
  template: `<header class="page-head">
      <div class="title">
        <h1>Notices</h1>
        <small>news, newest first; nobody has to acknowledge them</small>
      </div>
      <dp-respond-pages />
    </header>
    <div class="work">
      <div class="main" tabindex="0" role="region" aria-label="Notices">
        @if (problem(); as text) {
          <p class="said" role="alert">{{ text }}</p>
        } @else if (rows().length > 0) {
          <section class="part-of-sheet">
            <dp-plain-table caption="Notices" [quietCaption]="true" [pairs]="true" [columns]="columns" [rows]="rows()" />
          </section>
        } @else if (read.isLoading()) {
          <p class="waiting">Reading the notices</p>
        } @else {
          <div class="first-run">
            <p class="lead">Nothing yet. A threshold with a notice tells what happens here: a hatch that opens, mains that come back.</p>
          </div>
        }
      </div>
    </div>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NoticesPage {
  private readonly api = inject(Api);
  private readonly nameOf = nodeNames();
  private readonly zone = inject(Store).selectSignal(selectTimezone);
  protected readonly columns = COLUMNS;
  protected readonly read = resource({ loader: () => this.api.call(respond.notices, { query: { limit: 200 } }) });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly rows = computed(() =>
    (this.read.hasValue() ? this.read.value() : []).map(({ at, title, node, told }) => ({
      at: dayAndTime(at, this.zone()),
      title,
      node: this.nameOf(node),
      told: told ? 'told' : 'joined to the one before',
    })),
  );

  constructor() {
    interval(LOOK_MS)
      .pipe(takeUntilDestroyed())
      .subscribe(() => {
        if (!document.hidden && !this.read.isLoading()) this.read.reload();
      });
  }
}
