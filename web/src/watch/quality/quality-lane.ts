import type { PointQuality } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

const WIDTH = 448;
const BASE = 22;

/** A point's record as a line: suspect stands hollow above it, bad hangs beneath, missing is hatched across, late is dotted. */
@Component({
  selector: 'dp-quality-lane',
  template: `<svg width="100%" height="44" [attr.viewBox]="'0 0 ' + width + ' 44'" preserveAspectRatio="none" aria-hidden="true">
    <path [attr.d]="'M' + begins() + ' ' + base + 'H' + width" stroke="var(--rule)" stroke-width="2.5" />
    @for (one of late(); track one.x) {
      <path [attr.d]="'M' + one.x + ' ' + base + 'h' + one.width" stroke="var(--panel)" stroke-width="2.5" stroke-dasharray="2 2" />
    }
    @for (one of missing(); track one.x) {
      <rect [attr.x]="one.x" y="14" [attr.width]="one.width" height="16" fill="url(#hatch-0)" stroke="var(--rule)" stroke-width="0.5" />
    }
    @for (one of suspect(); track one.x) {
      <rect [attr.x]="one.x" y="9" [attr.width]="one.width" height="12" fill="var(--panel)" stroke="var(--ink-2)" />
    }
    @for (one of bad(); track one.x) {
      <rect [attr.x]="one.x" y="24" [attr.width]="one.width" height="11" fill="var(--ink)" />
    }
  </svg>`,
  styles: `
    :host {
      display: block;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class QualityLane {
  readonly quality = input.required<PointQuality>();
  readonly bins = input.required<number>();
  /** The span that the line stands for, ms. */
  readonly from = input.required<number>();
  readonly to = input.required<number>();
  protected readonly width = WIDTH;
  protected readonly base = BASE;
  protected readonly begins = computed(() => (WIDTH * Math.max(0, this.quality().since - this.from())) / (this.to() - this.from()));
  protected readonly suspect = computed(() => this.runs(1));
  protected readonly bad = computed(() => this.runs(2));
  protected readonly missing = computed(() => this.runs(3));
  protected readonly late = computed(() => this.runs(4));

  /** Neighbouring bins with any of one kind, as one piece. */
  private runs(kind: 1 | 2 | 3 | 4): { x: number; width: number }[] {
    const pitch = WIDTH / this.bins();
    const runs: { from: number; to: number }[] = [];
    for (const bin of this.quality().bins) {
      if (bin[kind] === 0) continue;
      const last = runs.at(-1);
      if (last?.to === bin[0]) last.to++;
      else runs.push({ from: bin[0], to: bin[0] + 1 });
    }
    return runs.map(({ from, to }) => ({ x: from * pitch, width: (to - from) * pitch }));
  }
}
