import { respond, type Alert } from '@dewpost/contract';
import { MOST_SHELVED_MINUTES } from '@dewpost/core/alarm';
import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { selectTimezone } from '../data/selectors';
import { dayAndTime } from '../parts/times';

/** How long an alert may be put away, where its severity allows it. */
const SPANS: readonly (readonly [minutes: number, words: string])[] = [
  [15, '15 min'],
  [60, 'an hour'],
  [480, '8 hours'],
  [1440, 'a day'],
  [10_080, 'a week'],
];
/** What is chosen until somebody chooses. */
const USUAL_MINUTES = 60;

/** Puts an alert on the shelf for a while, and says by whom, why and until when one is. */
@Component({
  selector: 'dp-shelf-line',
  imports: [MatButton, MatFormFieldModule, MatInput, MatSelectModule],
  template: `
    @if (alert().shelvedUntil !== null) {
      <span class="quiet">{{ words() }}</span>
      <button matButton="outlined" class="small" type="button" [disabled]="busy()" (click)="takeOff()">
        Off the shelf<span class="out-of-sight"> {{ alert().title }}</span>
      </button>
    } @else {
      <mat-form-field class="why">
        <mat-label>Why</mat-label>
        <input matInput #why maxlength="200" autocomplete="off" placeholder="it is being mended" (input)="reason.set(why.value)" />
      </mat-form-field>
      <mat-form-field class="span">
        <mat-label>For</mat-label>
        <mat-select [value]="minutes()" (selectionChange)="minutes.set($event.value)" hideSingleSelectionIndicator>
          @for (span of spans(); track span[0]) {
            <mat-option [value]="span[0]">{{ span[1] }}</mat-option>
          }
        </mat-select>
      </mat-form-field>
      <button matButton="filled" class="small" type="button" [disabled]="busy() || reason().trim().length < 3" (click)="put()">
        Put it away
      </button>
      <button matButton="outlined" class="small" type="button" (click)="done.emit()">Leave it</button>
      <span class="quiet">It stands all the same, what it switches goes on, and nobody is told; then it is told anew.</span>
    }
    @if (problem(); as said) {
      <span class="said" role="alert">{{ said }}</span>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      grid-column: 2 / -1;
      gap: 6px 10px;
      align-items: center;
      padding: 8px 16px 8px 0;
    }
    .why {
      width: 220px;
    }
    .span {
      width: 130px;
    }
    @media (max-width: 899px) {
      .why,
      .span {
        width: 100%;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ShelfLine {
  private readonly api = inject(Api);
  private readonly zone = inject(Store).selectSignal(selectTimezone);
  readonly alert = input.required<Alert>();
  /** It was put away, taken off, or left. */
  readonly done = output();
  protected readonly busy = signal(false);
  protected readonly reason = signal('');
  protected readonly minutes = signal(USUAL_MINUTES);
  protected readonly problem = signal<string | null>(null);
  protected readonly spans = computed(() => SPANS.filter(([minutes]) => minutes <= MOST_SHELVED_MINUTES[this.alert().severity]));
  protected readonly words = computed(() => {
    const { shelvedUntil, shelvedBy, shelvedWhy } = this.alert();
    return `until ${dayAndTime(shelvedUntil ?? 0, this.zone())} by ${shelvedBy}: ${shelvedWhy}`;
  });

  protected put(): Promise<void> {
    const body = { minutes: this.minutes(), why: this.reason() };
    return this.act(() => this.api.call(respond.shelve, { params: { id: this.alert().id }, body }));
  }
  protected takeOff(): Promise<void> {
    return this.act(() => this.api.call(respond.takeOffShelf, { params: { id: this.alert().id } }));
  }
  private async act(work: () => Promise<unknown>): Promise<void> {
    this.busy.set(true);
    this.problem.set(null);
    try {
      await work();
      this.reason.set('');
      this.done.emit();
    } catch (error) {
      this.problem.set(messageOf(error));
    }
    this.busy.set(false);
  }
}
