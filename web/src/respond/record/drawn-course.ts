import type { Point } from '@dewpost/contract';
import type { Knot } from '@dewpost/core/alarm';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, model, signal } from '@angular/core';

const [WIDTH, HEIGHT] = [1000, 120];
/** A key moves a knot by so much of the span, and of the scale. */
const STEP = 1 / 48;

/** A course that is drawn by hand: knots that are dragged, or moved by arrow keys; Delete takes one away, a press beside the line sets another. */
@Component({
  selector: 'dp-drawn-course',
  template: `
    <div class="pad">
      <svg
        [attr.viewBox]="'0 0 ' + width + ' ' + height"
        preserveAspectRatio="none"
        (pointerdown)="begin($event)"
        (pointermove)="drag($event)"
        (pointerup)="held.set(null)"
        (pointercancel)="held.set(null)"
      >
        <polyline [attr.points]="line()" fill="none" stroke="var(--ink)" stroke-width="2" vector-effect="non-scaling-stroke" />
      </svg>
      @for (knot of drawn(); track $index; let i = $index) {
        <button
          type="button"
          class="knot"
          role="slider"
          [style.left.%]="(100 * knot.x) / width"
          [style.top.%]="(100 * knot.y) / height"
          [attr.aria-label]="'Knot ' + (i + 1)"
          [attr.aria-valuemin]="point().min"
          [attr.aria-valuemax]="point().max"
          [attr.aria-valuenow]="knot.value"
          [attr.aria-valuetext]="knot.words"
          (keydown)="key($event, i)"
          (pointerdown)="hold($event, i)"
          (pointermove)="drag($event)"
          (pointerup)="held.set(null)"
          (pointercancel)="held.set(null)"
        ></button>
      }
      <span class="top quiet">{{ figure(point().max) }}</span>
      <span class="bottom quiet">{{ figure(point().min) }}</span>
    </div>
    <p class="quiet">Eight hours. Press to set a knot, drag it or use the arrow keys; Delete takes it away.</p>
  `,
  styles: `
    :host {
      display: block;
      padding-bottom: 6px;
    }
    .pad {
      position: relative;
      border: 1px solid var(--hair);
      touch-action: none;
    }
    svg {
      display: block;
      width: 100%;
      height: 120px;
      cursor: crosshair;
    }
    .knot {
      position: absolute;
      width: 24px;
      height: 24px;
      margin: -12px;
      padding: 0;
      border: 0;
      background: radial-gradient(circle, var(--ink) 0 4px, transparent 5px);
      cursor: grab;
      touch-action: none;
    }
    .knot:focus-visible {
      outline: 2px solid var(--focus);
    }
    .top,
    .bottom {
      position: absolute;
      right: 4px;
      font-size: 11px;
      pointer-events: none;
    }
    .top {
      top: 2px;
    }
    .bottom {
      bottom: 2px;
    }
    p {
      margin: 2px 0 0;
      font-size: 12px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class DrawnCourse {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly point = input.required<Point>();
  readonly spanMs = input.required<number>();
  readonly knots = model.required<readonly Knot[]>();
  protected readonly width = WIDTH;
  protected readonly height = HEIGHT;
  /** Which knot is dragged; `null`: none. */
  protected readonly held = signal<number | null>(null);
  protected readonly drawn = computed(() =>
    this.knots().map(({ after, value }) => {
      const { min, max } = this.point();
      const words = `${this.figure(value)} after ${formatDuration(after)}`;
      return { x: (WIDTH * after) / this.spanMs(), y: HEIGHT * (1 - (value - min) / (max - min)), value, words };
    }),
  );
  protected readonly line = computed(() => {
    const knots = [...this.drawn()].sort((a, b) => a.x - b.x);
    const [first, last] = [knots[0], knots.at(-1)];
    if (!first || !last) return '';
    return [{ x: 0, y: first.y }, ...knots, { x: WIDTH, y: last.y }].map(({ x, y }) => `${x.toFixed(1)},${y.toFixed(1)}`).join(' ');
  });

  protected figure(value: number): string {
    return `${formatNumber(value, this.point().decimals)} ${this.point().unit}`.trim();
  }
  /** Beside every knot: another one. */
  protected begin(event: PointerEvent): void {
    this.knots.set([...this.knots(), this.at(event)]);
    this.grab(event, this.knots().length - 1);
  }
  protected hold(event: PointerEvent, place: number): void {
    this.grab(event, place);
  }
  protected drag(event: PointerEvent): void {
    const place = this.held();
    if (place !== null) this.put(place, this.at(event));
  }
  protected key(event: KeyboardEvent, place: number): void {
    const knot = this.knots()[place];
    if (!knot) return;
    const { min, max } = this.point();
    const [time, level] = [STEP * this.spanMs(), STEP * (max - min)];
    const moves: Partial<Record<string, Knot>> = {
      ArrowUp: { ...knot, value: knot.value + level },
      ArrowDown: { ...knot, value: knot.value - level },
      ArrowRight: { ...knot, after: knot.after + time },
      ArrowLeft: { ...knot, after: knot.after - time },
    };
    const moved = moves[event.key];
    if (moved) this.put(place, moved);
    else if (event.key === 'Delete' && this.knots().length > 1) this.knots.set(this.knots().filter((_, i) => i !== place));
    else return;
    event.preventDefault();
  }

  private grab(event: PointerEvent, place: number): void {
    (event.target as Element).setPointerCapture(event.pointerId);
    this.held.set(place);
  }
  private at({ clientX, clientY }: PointerEvent): Knot {
    const box = this.host.nativeElement.querySelector('svg')?.getBoundingClientRect() ?? new DOMRect(0, 0, 1, 1);
    const { min, max } = this.point();
    return {
      after: (this.spanMs() * (clientX - box.left)) / Math.max(1, box.width),
      value: min + (max - min) * (1 - (clientY - box.top) / Math.max(1, box.height)),
    };
  }
  private put(place: number, { after, value }: Knot): void {
    const { min, max, decimals } = this.point();
    const within = (one: number, low: number, high: number): number => Math.min(high, Math.max(low, one));
    const knot = { after: within(after, 0, this.spanMs()), value: Number(within(value, min, max).toFixed(decimals)) };
    this.knots.set(this.knots().map((one, i) => (i === place ? knot : one)));
  }
}
