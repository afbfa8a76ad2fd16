import type { Point, Relay } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatDialog } from '@angular/material/dialog';
import { Store } from '@ngrx/store';
import { placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { Clock } from '../../parts/clock';
import { dayAndTime } from '../../parts/times';
import { openTimetableDialog } from './timetable-dialog';
import { nextAt, timetableWords } from './timetable-form';

/** By which times an output runs, and when it does next; makers change it. */
@Component({
  selector: 'dp-timetable-line',
  imports: [MatButton],
  template: `
    @if (words(); as text) {
      <span>Timetable: {{ text }}{{ next() }}</span>
    }
    @if (isMaker()) {
      <button matButton="outlined" class="small" type="button" (click)="change()">
        {{ words() ? 'Change timetable' : 'Timetable' }}<span class="out-of-sight"> of {{ point().label }}</span>
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
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TimetableLine {
  private readonly store = inject(Store);
  private readonly dialogs = inject(MatDialog);
  private readonly clock = inject(Clock);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  readonly point = input.required<Point>();
  readonly relay = input.required<Relay | null>();
  protected readonly isMaker = computed(() => this.me()?.role === 'maker');
  protected readonly words = computed(() => timetableWords(this.relay()?.timetable ?? null));
  /** Looked up once a minute: it is a matter of days. */
  private readonly minute = computed(() => Math.floor(this.clock.now() / 60_000));
  protected readonly next = computed(() => {
    const at = nextAt(this.relay()?.timetable ?? null, this.zone(), this.minute() * 60_000);
    return at === null ? '' : `; next ${dayAndTime(at, this.zone())}`;
  });

  protected change(): void {
    openTimetableDialog(this.dialogs, this.point(), this.relay()?.timetable ?? null);
  }
}
