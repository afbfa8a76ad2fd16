import { CdkDrag, type CdkDragMove } from '@angular/cdk/drag-drop';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, output, signal } from '@angular/core';
import type { TraceScale } from '../../parts/trace';
import { steppedValue, valueAtHeight, heightOfValue } from './limit-scale';

/** A limit's handle in the margin of its record: dragged, or moved by the arrow keys, Shift and page keys ten steps at once. */
@Component({
  selector: 'dp-limit-handle',
  imports: [CdkDrag],
  template: `
    <div
      class="handle mono"
      [class.clears]="kind() === 'clears'"
      role="slider"
      tabindex="0"
      aria-orientation="vertical"
      [attr.aria-label]="kind() === 'setpoint' ? 'Setpoint' : 'Clears at'"
      [attr.aria-valuemin]="scale().low"
      [attr.aria-valuemax]="scale().high"
      [attr.aria-valuenow]="value()"
      [attr.aria-valuetext]="shown() + ' ' + unit()"
      [style.top.px]="top()"
      cdkDrag
      cdkDragLockAxis="y"
      (cdkDragStarted)="begin()"
      (cdkDragMoved)="drag($event)"
      (cdkDragEnded)="end($event.source)"
      (keydown)="key($event)"
    >
      {{ shown() }}
    </div>
  `,
  styleUrl: './limit-handle.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LimitHandle {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  readonly kind = input.required<'setpoint' | 'clears'>();
  readonly value = input.required<number>();
  readonly decimals = input(1);
  readonly unit = input('');
  readonly scale = input.required<TraceScale>();
  readonly moved = output<number>();
  /** True while it is dragged: the scale is to stand still. */
  readonly dragged = output<boolean>();

  /** Where it was when the drag began: the drag itself moves it from there. */
  private readonly from = signal<number | null>(null);
  protected readonly shown = computed(() => formatNumber(this.value(), this.decimals()));
  protected readonly top = computed(() => this.from() ?? heightOfValue(this.scale(), this.value()));

  protected begin(): void {
    this.from.set(this.top());
    this.dragged.emit(true);
  }
  protected drag({ pointerPosition }: CdkDragMove): void {
    const height = pointerPosition.y - this.host.nativeElement.getBoundingClientRect().top;
    const value = valueAtHeight(this.scale(), height, this.decimals());
    if (value !== this.value()) this.moved.emit(value);
  }
  protected end(source: CdkDrag): void {
    source.reset();
    this.from.set(null);
    this.dragged.emit(false);
  }
  protected key(event: KeyboardEvent): void {
    const value = steppedValue(this.value(), event, this.decimals());
    if (value === null) return;
    event.preventDefault();
    this.moved.emit(value);
  }
}
