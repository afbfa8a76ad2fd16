import { respond, type Point, type Relay } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { dayAndTime } from '../parts/times';

/** How long an output may be locked out at one press; `null`: until the lock is taken off. */
const SPANS: readonly (readonly [minutes: number | null, words: string])[] = [
  [null, 'until I take it off'],
  [60, 'for an hour'],
  [480, 'for 8 hours'],
  [1440, 'for a day'],
];

/** Locks an output out while somebody works at it, and says who has, why and until when. */
@Component({
  selector: 'dp-lock-line',
  imports: [MatButton, MatFormFieldModule, MatInput, MatSelectModule],
  template: `
    @if (lock(); as is) {
      <span class="locked" role="status">Locked out by {{ is.by }} {{ until() }}: {{ is.reason }}</span>
      @if (mayTakeOff()) {
        @if (asking()) {
          <span>Rules that stand switch it on again by their own delay. Is everybody clear of it?</span>
          <button matButton="filled" class="small" type="button" (click)="takeOff()">Take the lock off</button>
          <button matButton="outlined" class="small" type="button" (click)="asking.set(false)">Leave it on</button>
        } @else {
          <button matButton="outlined" class="small" type="button" (click)="asking.set(true)">
            Take the lock off<span class="out-of-sight"> {{ point().label }}</span>
          </button>
        }
      }
    } @else if (asking()) {
      <mat-form-field class="why">
        <mat-label>Why</mat-label>
        <input matInput #why maxlength="200" autocomplete="off" placeholder="I am at the belt" (input)="reason.set(why.value)" />
      </mat-form-field>
      <mat-form-field>
        <mat-label>How long</mat-label>
        <mat-select [value]="minutes()" (selectionChange)="minutes.set($event.value)" canSelectNullableOptions hideSingleSelectionIndicator>
          @for (span of spans; track span[1]) {
            <mat-option [value]="span[0]">{{ span[1] }}</mat-option>
          }
        </mat-select>
      </mat-form-field>
      <button matButton="filled" class="small" type="button" [disabled]="reason().trim() === ''" (click)="put()">Lock it out</button>
      <button matButton="outlined" class="small" type="button" (click)="asking.set(false)">Leave it</button>
      <span class="quiet">A lock here cuts no current: who works at a machine or its wiring also pulls its fuse or isolator.</span>
    } @else {
      <button matButton="outlined" class="small" type="button" (click)="asking.set(true)">
        Lock out<span class="out-of-sight"> {{ point().label }}</span>
      </button>
    }
    @if (problem(); as words) {
      <span class="said" role="alert">{{ words }}</span>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: center;
    }
    .locked {
      font-weight: 600;
      color: var(--ink);
      overflow-wrap: anywhere;
    }
    .why {
      width: 260px;
    }
    @media (max-width: 899px) {
      mat-form-field,
      .why {
        width: 100%;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LockLine {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  readonly point = input.required<Point>();
  readonly relay = input.required<Relay | null>();
  protected readonly spans = SPANS;
  protected readonly asking = signal(false);
  protected readonly reason = signal('');
  protected readonly minutes = signal<number | null>(null);
  protected readonly problem = signal<string | null>(null);
  protected readonly lock = computed(() => this.relay()?.lock ?? null);
  protected readonly until = computed(() => {
    const end = this.lock()?.until ?? null;
    return end === null ? 'until the lock is taken off' : `until ${dayAndTime(end, this.zone())}`;
  });
  protected readonly mayTakeOff = computed(() => this.me()?.role === 'maker' || this.me()?.name === this.lock()?.by);

  protected put(): Promise<void> {
    const body = { reason: this.reason(), minutes: this.minutes() };
    return this.act(() => this.api.call(respond.lockRelay, { params: { id: this.point().id }, body }));
  }
  protected takeOff(): Promise<void> {
    return this.act(() => this.api.call(respond.unlockRelay, { params: { id: this.point().id } }));
  }
  private async act(work: () => Promise<unknown>): Promise<void> {
    this.problem.set(null);
    try {
      await work();
      this.asking.set(false);
      this.reason.set('');
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
}
