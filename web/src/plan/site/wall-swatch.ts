import type { Material } from '@dewpost/core/site-plan';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { wallStrokes } from './wall-strokes';

/** A piece of a wall, to know its pattern by. */
@Component({
  selector: 'dp-wall-swatch',
  template: `<svg width="18" height="12" viewBox="0 0 18 12" aria-hidden="true">
    @for (stroke of strokes(); track $index) {
      <path
        d="M0 6H18"
        fill="none"
        [attr.stroke]="stroke.stroke"
        [attr.stroke-width]="stroke.width"
        [attr.stroke-dasharray]="stroke.dash"
      />
    }
  </svg>`,
  host: { style: 'display: inline-flex' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class WallSwatch {
  readonly of = input.required<Material>();
  protected readonly strokes = computed(() => wallStrokes(this.of().pattern, 8));
}
