import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { allNodes, placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { dayAndTime } from '../parts/times';
import { ProvisionPages } from './provision-pages';

/** Which nodes were proved in place, and which hang there unarmed. */
@Component({
  selector: 'dp-fit-list',
  imports: [ProvisionPages, RouterLink],
  template: `<header class="page-head">
      <div class="title">
        <h1>Fit</h1>
        <small>{{ open().length }} to fit; until then their thresholds and outputs are unarmed</small>
      </div>
      <dp-provision-pages />
    </header>
    <div class="work">
      <div class="main" tabindex="0" role="region" aria-label="Nodes">
        <table class="ledger">
          <thead>
            <tr>
              <th class="margin"></th>
              <th>Node</th>
              <th>Room</th>
              <th>Fitted</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            @for (node of rows(); track node.id) {
              <tr>
                <td class="margin"></td>
                <th scope="row" class="mono">{{ node.id }}</th>
                <td>{{ node.room }}</td>
                <td>{{ node.fitted ?? (node.proved ? 'not yet: unarmed' : 'to be written first') }}</td>
                <td>
                  @if (node.proved) {
                    <a class="b small" [routerLink]="['/provision/fit', node.id]"
                      >{{ node.fitted ? 'Look' : 'Fit it' }}<span class="out-of-sight"> {{ node.id }}</span></a
                    >
                  }
                </td>
              </tr>
            } @empty {
              <tr>
                <td class="margin"></td>
                <td colspan="4" class="quiet">{{ loaded() ? 'No nodes yet: make them from a build sheet.' : 'Reading the nodes' }}</td>
              </tr>
            }
          </tbody>
        </table>
      </div>
    </div>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FitList {
  private readonly store = inject(Store);
  private readonly nodes = this.store.selectSignal(allNodes.selectAll);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  protected readonly open = computed(() => this.nodes().filter((node) => node.state === 'proved' && node.fittedAt === null));
  /** Those to fit first, then those that cannot be fitted yet, then the others. */
  protected readonly rows = computed(() =>
    this.nodes()
      .map((node) => ({
        id: node.id,
        room: node.room,
        proved: node.state === 'proved',
        fitted: node.fittedAt === null ? null : dayAndTime(node.fittedAt, this.zone()),
      }))
      .sort((a, b) => Number(a.fitted !== null) - Number(b.fitted !== null) || Number(b.proved) - Number(a.proved)),
  );
}
