import { calibrate, type Point } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, inject, input, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { selectTimezone } from '../data/selectors';
import { dayAndTime } from '../parts/times';

/** How long rules are held at one press. */
const HOLD_MINUTES = 30;

/** While a sensor is out of its place, what it says is nobody's alarm: its rules are held, with an end, and its node reports quickly. */
@Component({
  selector: 'dp-hold-line',
  imports: [MatButton],
  template: `<p class="hold" role="status">
      @if (point().heldUntil; as until) {
        <span
          >{{
            rules() > 0
              ? 'Its ' + counted(rules(), 'rule') + ' held until ' + when(until) + ': nothing trips, and what they switched is off. '
              : ''
          }}Its node reports every 5 s{{ rules() > 0 ? '' : ' until ' + when(until) }}, from when it hears of it.</span
        >
        <button matButton="outlined" class="small" type="button" (click)="hold(false)">
          {{ rules() > 0 ? 'Let them go on' : 'As usual again' }}
        </button>
      } @else {
        @if (rules() > 0) {
          <span>{{ counted(rules(), 'rule') }} would be judged by what you do to it.</span>
          <button matButton="outlined" class="small" type="button" (click)="hold(true)">Hold them for 30 min</button>
        } @else {
          <span>It reports at its own pace.</span>
          <button matButton="outlined" class="small" type="button" (click)="hold(true)">Every 5 s for 30 min</button>
        }
      }
    </p>
    @if (problem(); as words) {
      <p class="said" role="alert">{{ words }}</p>
    }`,
  styleUrl: './calibrate.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class HoldLine {
  private readonly api = inject(Api);
  private readonly zone = inject(Store).selectSignal(selectTimezone);
  readonly point = input.required<Point>();
  readonly rules = input.required<number>();
  protected readonly counted = counted;
  protected readonly problem = signal<string | null>(null);

  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected async hold(on: boolean): Promise<void> {
    const params = { node: this.point().node, point: this.point().name };
    this.problem.set(null);
    try {
      if (on) await this.api.call(calibrate.hold, { params, body: { minutes: HOLD_MINUTES } });
      else await this.api.call(calibrate.letGo, { params });
    } catch (error) {
      this.problem.set(messageOf(error));
    }
  }
}
