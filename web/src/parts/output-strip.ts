import type { Point, Relay } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { selectTimezone } from '../data/selectors';
import { Clock } from './clock';
import { outputWords } from './output-state';

/** A switched point as a row: filled or empty bar with the time until it goes off by itself, its guards as locks. */
@Component({
  selector: 'dp-output-strip',
  imports: [MatButton],
  templateUrl: './output-strip.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class OutputStrip {
  private readonly clock = inject(Clock);
  private readonly zone = inject(Store).selectSignal(selectTimezone);
  readonly point = input.required<Point>();
  readonly relay = input<Relay | null>(null);
  readonly under = input('');
  /** With a button to switch; onlookers have none. */
  readonly switchable = input(false);
  readonly switching = output();
  protected readonly width = 338;
  protected readonly words = computed(() => outputWords(this.point(), this.relay(), this.clock.now(), this.zone()));
  protected readonly barEnd = computed(() => 14 + this.words().left * (this.width - 28));
  protected readonly guardX = (index: number): number =>
    14 +
    this.words()
      .guards.slice(0, index)
      .reduce((x, guard) => x + 17 + guard.text.length * 4.75, 0);
}
