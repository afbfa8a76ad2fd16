import { calibrate, type Calibration, type Point } from '@dewpost/contract';
import { RECIPES } from '@dewpost/core/calibration';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, effect, inject, input, output, untracked } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatProgressBar } from '@angular/material/progress-bar';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { selectTimezone } from '../data/selectors';
import { Clock } from '../parts/clock';
import { conversionWords } from '../parts/conversion-words';
import { dateOnly, dayAndTime } from '../parts/times';
import { InheritLine } from './inherit-line';
import { METHODS } from './methods';

/** Every calibration of a point, newest first: what each is, how far its record is converted by it, and its withdrawing. */
@Component({
  selector: 'dp-calibration-record',
  imports: [InheritLine, MatButton, MatProgressBar],
  templateUrl: './calibration-record.html',
  styleUrl: './calibrate.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class CalibrationRecord {
  private readonly api = inject(Api);
  private readonly clock = inject(Clock);
  private readonly zone = inject(Store).selectSignal(selectTimezone);
  readonly point = input.required<Point>();
  readonly history = input.required<readonly Calibration[]>();
  readonly loading = input(false);
  /** The version that converts it now. */
  readonly inForce = input.required<number | null>();
  readonly maker = input(false);
  /** A value of the point in words. */
  readonly figure = input.required<(value: number) => string>();
  readonly changed = output<void>();
  readonly said = output<{ text: string; bad: boolean }>();
  protected readonly counted = counted;

  constructor() {
    // What is converted anew is looked at once a second.
    effect(() => {
      this.clock.now();
      untracked(() => {
        if (!this.loading() && this.history().some(({ settling }) => settling !== null)) this.changed.emit();
      });
    });
  }

  protected madeBy({ recipe, method }: Calibration): string {
    return RECIPES.find(({ id }) => id === recipe)?.title ?? METHODS.find(({ value }) => value === method)?.words ?? method;
  }
  protected words({ coefficients }: Calibration): string {
    return conversionWords(coefficients);
  }
  protected percent(share: number): string {
    return `${Math.floor(100 * share)} %`;
  }
  protected date(ms: number): string {
    return dateOnly(ms, this.zone());
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected async withdraw(version: number): Promise<void> {
    const { node, name: point } = this.point();
    try {
      const { reconverted } = await this.api.call(calibrate.withdraw, { params: { node, point, version } });
      this.said.emit({ text: `Version ${version} is withdrawn; ${counted(reconverted, 'reading')} converted anew.`, bad: false });
    } catch (error) {
      this.said.emit({ text: messageOf(error), bad: true });
    }
    this.changed.emit();
  }
}
