import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { BASELINE, RAIL, staffGeometry } from '../../parts/staff';

const WIDTH = 180;

/** What one leg took against its limit: a post where the limit begins, the notch, and as a bar what the tests before took. */
@Component({
  selector: 'dp-leg-staff',
  template: `<svg viewBox="0 8 180 26" width="180" height="26" aria-hidden="true">
    @for (zone of staff().zones; track zone.x) {
      <rect
        [attr.x]="zone.x"
        [attr.y]="zone.y"
        [attr.width]="zone.width"
        [attr.height]="zone.height"
        [attr.fill]="over() ? 'var(--rust-z)' : 'var(--z2)'"
      />
      <path [attr.d]="zone.edge" fill="none" stroke="var(--rule)" />
    }
    <path d="M14 27H166" stroke="var(--rule)" />
    <path [attr.d]="staff().major" stroke="var(--rule)" />
    @if (staff().bar; as bar) {
      <rect [attr.x]="bar.x" [attr.y]="rail" [attr.width]="bar.width" height="3" fill="var(--ink-2)" />
    }
    @if (ms() !== null) {
      <path [attr.d]="'M' + (at() - 5) + ' 14H' + (at() + 5) + 'L' + at() + ' 26Z'" [attr.fill]="over() ? 'var(--rust)' : 'var(--ink)'" />
    }
  </svg>`,
  styles: `
    :host {
      display: block;
      line-height: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LegStaff {
  protected readonly rail = BASELINE - RAIL / 2;
  readonly ms = input.required<number | null>();
  readonly limitMs = input.required<number>();
  /** What the same leg took before, ms. */
  readonly before = input<readonly number[]>([]);
  protected readonly staff = computed(() =>
    staffGeometry({
      ...{ width: WIDTH, min: 0, max: (this.limitMs() / 1000) * 1.25 },
      limits: [{ side: 'high', setpoint: this.limitMs() / 1000, clearLevel: this.limitMs() / 1000, severity: 'warning' }],
      low: this.before().length > 0 ? Math.min(...this.before()) / 1000 : null,
      high: this.before().length > 0 ? Math.max(...this.before()) / 1000 : null,
    }),
  );
  protected readonly at = computed(() => this.staff().x((this.ms() ?? 0) / 1000));
  protected readonly over = computed(() => (this.ms() ?? 0) > this.limitMs());
}
