import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import type { IconNode } from 'lucide';

/** An outlined icon, always beside a word or under an accessible name: itself it is silent. */
@Component({
  selector: 'dp-icon',
  template: `<svg
    [attr.width]="size()"
    [attr.height]="size()"
    viewBox="0 0 24 24"
    fill="none"
    stroke="currentColor"
    [attr.stroke-width]="size() < 16 ? 2 : 1.75"
    stroke-linecap="round"
    stroke-linejoin="round"
    aria-hidden="true"
  >
    @for (shape of shapes(); track $index) {
      @switch (shape.tag) {
        @case ('path') {
          <path [attr.d]="shape.at['d']" />
        }
        @case ('circle') {
          <circle [attr.cx]="shape.at['cx']" [attr.cy]="shape.at['cy']" [attr.r]="shape.at['r']" />
        }
        @case ('rect') {
          <rect
            [attr.x]="shape.at['x']"
            [attr.y]="shape.at['y']"
            [attr.width]="shape.at['width']"
            [attr.height]="shape.at['height']"
            [attr.rx]="shape.at['rx']"
          />
        }
        @case ('line') {
          <line [attr.x1]="shape.at['x1']" [attr.y1]="shape.at['y1']" [attr.x2]="shape.at['x2']" [attr.y2]="shape.at['y2']" />
        }
      }
    }
  </svg>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Icon {
  readonly of = input.required<IconNode>();
  readonly size = input(18);
  protected readonly shapes = computed(() =>
    this.of().map(([tag, at]) => ({ tag, at: at as Record<string, string | number | undefined> })),
  );
}
