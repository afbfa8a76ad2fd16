import type { Severity } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

const SHAPE: Record<Severity, { path: string; colour: string }> = {
  advisory: { path: 'M1 12V7.6H5.2V12Z', colour: 'var(--ochre)' },
  warning: { path: 'M1 12V7.6H5V4.6H9.2V12Z', colour: 'var(--rust)' },
  critical: { path: 'M1 12V7.6H5V4.6H9V1.4H13V12Z', colour: 'var(--carmine)' },
};

/** Severity as height: one, two or three steps on a baseline. `quiet` takes the colour off, for what is over. */
@Component({
  selector: 'dp-severity',
  template: `<svg [attr.width]="size()" [attr.height]="size()" viewBox="0 0 14 14" role="img" [attr.aria-label]="of()">
    <path d="M.8 12.2H13.2" [attr.stroke]="colour()" stroke-width="1.6" />
    <path [attr.d]="shape().path" [attr.fill]="colour()" />
  </svg>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SeverityGlyph {
  readonly of = input.required<Severity>();
  readonly size = input(14);
  readonly quiet = input(false);
  protected readonly shape = computed(() => SHAPE[this.of()]);
  protected readonly colour = computed(() => (this.quiet() ? 'var(--slate)' : this.shape().colour));
}
