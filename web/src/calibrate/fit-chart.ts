import { formatNumber } from '@dewpost/core/quantity';
import { calibrated, type Capture, type Coefficients } from '@dewpost/core/calibration';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { linePath } from '../parts/line-path';

const [WIDTH, HEIGHT, RESIDUALS] = [560, 220, 70];
/** Straight pieces that a curve is drawn in. */
const PIECES = 48;

/** Steps of a scale at round figures, about `most` of them. */
function ticksOf(low: number, high: number, most: number): number[] {
  const rough = (high - low) / most;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = ([1, 2, 5, 10].find((one) => one * power >= rough) ?? 10) * power;
  const first = Math.ceil(low / step) * step;
  return Array.from({ length: Math.floor((high - first) / step) + 1 }, (_, i) => first + i * step);
}

/** As many decimals as tell the steps of a scale apart. */
const placesOf = ([first = 0, second = first + 1]: readonly number[], least: number): number =>
  Math.max(least, Math.ceil(-Math.log10(second - first) - 1e-9));

/** A fit as it is seen before it is kept: captures as crosses, the line with its uncertainty, what was in force dashed, residuals beneath. */
@Component({
  selector: 'dp-fit-chart',
  template: `@if (drawn(); as all) {
    <svg [attr.viewBox]="all.box" role="img" [attr.aria-label]="all.words">
      @for (tick of all.ticksY; track tick.value) {
        <line [attr.x1]="-5" x2="0" [attr.y1]="tick.at" [attr.y2]="tick.at" class="tick" />
        <line x1="0" [attr.x2]="all.width" [attr.y1]="tick.at" [attr.y2]="tick.at" class="hair" />
        <text x="-8" [attr.y]="tick.at + 3.5" text-anchor="end">{{ tick.text }}</text>
      }
      @for (tick of all.ticksX; track tick.value) {
        <line [attr.x1]="tick.at" [attr.x2]="tick.at" [attr.y1]="all.height" [attr.y2]="all.height + 5" class="tick" />
        <text [attr.x]="tick.at" [attr.y]="all.height + 17" text-anchor="middle">{{ tick.text }}</text>
      }
      <line x1="0" [attr.x2]="all.width" [attr.y1]="all.height" [attr.y2]="all.height" class="base" />
      <!-- What reaches past the scale is cut at it. -->
      <svg [attr.width]="all.width" [attr.height]="all.height" class="inner">
        <path [attr.d]="all.band" class="band" />
        @if (all.before) {
          <path [attr.d]="all.before" class="before" />
        }
        <path [attr.d]="all.line" class="line" />
      </svg>
      @if (all.live !== null) {
        <path [attr.d]="'M' + (all.live - 6) + ' ' + (all.height - 18) + 'h12l-6 18z'" class="notch" />
      }
      @for (cross of all.crosses; track $index) {
        <path [attr.d]="'M' + (cross.x - 5) + ' ' + (cross.y - 5) + 'l10 10m0 -10l-10 10'" class="cross" />
        <line [attr.x1]="cross.x" [attr.x2]="cross.x" [attr.y1]="all.middle" [attr.y2]="cross.residual" class="line" />
        <circle [attr.cx]="cross.x" [attr.cy]="cross.residual" r="3" class="dot" />
      }
      @if (all.crosses.length > 0) {
        <line x1="0" [attr.x2]="all.width" [attr.y1]="all.middle" [attr.y2]="all.middle" class="base" />
        <text x="4" [attr.y]="all.middle - 24">residuals, up to ± {{ all.most }}</text>
      }
    </svg>
  }`,
  styles: `
    :host {
      display: block;
      max-width: 640px;
      padding: 10px 0;
    }
    svg {
      width: 100%;
      overflow: visible;
    }
    .inner {
      overflow: hidden;
    }
    text {
      font: 400 10px var(--mono);
      font-stretch: 80%;
      fill: var(--ink-2);
    }
    .hair {
      stroke: var(--hair);
    }
    .tick,
    .base {
      stroke: var(--ink-2);
    }
    .line {
      fill: none;
      stroke: var(--spruce);
      stroke-width: 1.8;
    }
    .before {
      fill: none;
      stroke: var(--ink-2);
      stroke-dasharray: 5 4;
    }
    .band {
      fill: var(--env);
      stroke: none;
    }
    .cross {
      fill: none;
      stroke: var(--ink);
      stroke-width: 2;
    }
    .dot,
    .notch {
      fill: var(--ink);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FitChart {
  readonly captures = input.required<readonly Capture[]>();
  readonly fit = input.required<{
    readonly coefficients: Coefficients;
    readonly uncertainty: number;
    readonly residuals: readonly number[];
  }>();
  /** What converts it now; `null`: nothing does. */
  readonly before = input<Coefficients | null>(null);
  /** What its node says now, raw. */
  readonly live = input<number | null>(null);
  readonly decimals = input(1);

  protected readonly drawn = computed(() => {
    const [captures, { coefficients, uncertainty, residuals }, before, live] = [this.captures(), this.fit(), this.before(), this.live()];
    const value = (raw: number, by = coefficients): number => calibrated(by, raw);
    // A law without captures is looked at over all of its table.
    const { curve } = coefficients;
    const table = captures.length === 0 && curve && 'table' in curve ? curve.table.map(([raw]) => raw) : [];
    const raws = [...captures.map(({ raw }) => raw), ...(live === null ? [] : [live]), ...table];
    const reach = Math.max(...raws) - Math.min(...raws) || Math.abs(raws[0] ?? 1) * 0.2 || 1;
    // Past the ends of its table a law says nothing.
    const margin = table.length > 0 ? 0 : reach * 0.15;
    const [left, right] = [Math.min(...raws) - margin, Math.max(...raws) + margin];
    // A curve is drawn in short pieces, and at the very rows of a table.
    const places = [
      ...Array.from({ length: PIECES + 1 }, (_, i) => left + ((right - left) * i) / PIECES),
      ...captures.map(({ raw }) => raw),
    ]
      .filter((raw) => raw >= left && raw <= right)
      .sort((a, b) => a - b);
    const ends = places.flatMap((raw) => [value(raw), ...(before ? [value(raw, before)] : [])]);
    const all = [...ends, ...captures.map(({ reference }) => reference)];
    const tall = Math.max(...all) - Math.min(...all) || 1;
    const [low, high] = [Math.min(...all) - tall * 0.08, Math.max(...all) + tall * 0.08];
    const x = (raw: number): number => ((raw - left) / (right - left)) * WIDTH;
    const y = (at: number): number => HEIGHT - ((at - low) / (high - low)) * HEIGHT;
    const wide = 2 * uncertainty;
    const most = Math.max(...residuals.map(Math.abs), uncertainty) || 1;
    const middle = HEIGHT + 30 + RESIDUALS / 2;
    const figure = (at: number, places = this.decimals()): string => formatNumber(at, places);
    const along = (by: Coefficients, up: number): (readonly [number, number])[] => places.map((raw) => [x(raw), y(value(raw, by) + up)]);
    const through = (by: Coefficients): string => linePath(along(by, 0));
    return {
      ...{ width: WIDTH, height: HEIGHT, middle, most: figure(most, this.decimals() + 1) },
      box: `-48 -8 ${WIDTH + 60} ${HEIGHT + 34 + (captures.length > 0 ? RESIDUALS : 0)}`,
      words:
        captures.length > 0
          ? `The fit through ${captures.length} captures, from raw ${figure(left, 0)} to ${figure(right, 0)}; residuals up to ${figure(most, this.decimals() + 1)}`
          : `What its law says, from raw ${figure(left, 0)} to ${figure(right, 0)}`,
      ticksY: ticksOf(low, high, 5).map((one, _, ticks) => ({
        value: one,
        at: y(one),
        text: figure(one, placesOf(ticks, this.decimals())),
      })),
      ticksX: ticksOf(left, right, 6).map((one, _, ticks) => ({ value: one, at: x(one), text: figure(one, placesOf(ticks, 0)) })),
      line: through(coefficients),
      before: before ? through(before) : null,
      band: `${linePath([...along(coefficients, wide), ...along(coefficients, -wide).reverse()])}z`,
      live: live === null ? null : x(live),
      crosses: captures.map(({ raw, reference }, i) => ({
        ...{ x: x(raw), y: y(reference) },
        residual: middle - ((residuals[i] ?? 0) / most) * (RESIDUALS / 2 - 8),
      })),
    };
  });
}
