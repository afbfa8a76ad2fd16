import type { Point, Relay } from '@dewpost/contract';
import { midnightsOf } from '@dewpost/core/time';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { nodeNames } from '../../data/node-names';
import { allPoints, placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { Clock } from '../../parts/clock';
import { openLimitsDialog } from './limits-dialog';
import { limitsWords } from './limits-form';

/** What an output may do within a day, how much of it is spent, and what forbids it; makers change it. */
@Component({
  selector: 'dp-limits-line',
  imports: [MatButton],
  template: `
    @if (words(); as text) {
      <span>{{ text }}</span>
    }
    @if (isMaker()) {
      <button matButton="outlined" class="small" type="button" (click)="change()">
        {{ words() ? 'Change limits' : 'Limits' }}<span class="out-of-sight"> of {{ point().label }}</span>
      </button>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: center;
    }
    span {
      overflow-wrap: anywhere;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LimitsLine {
  private readonly store = inject(Store);
  private readonly dialogs = inject(MatDialog);
  private readonly clock = inject(Clock);
  private readonly points = this.store.selectSignal(allPoints.selectEntities);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly nodeName = nodeNames();
  readonly point = input.required<Point>();
  readonly relay = input.required<Relay | null>();
  protected readonly isMaker = computed(() => this.me()?.role === 'maker');
  private readonly midnight = computed(() => midnightsOf(this.zone()));
  protected readonly words = computed(() => {
    const relay = this.relay();
    const now = this.clock.now();
    return relay ? limitsWords(relay, now, this.midnight()(now), this.points(), this.nodeName) : '';
  });

  protected change(): void {
    openLimitsDialog(this.dialogs, this.point(), this.relay()?.limits ?? null);
  }
}
