import type { Node } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, input } from '@angular/core';

export type StateMark = 'live' | 'late' | 'silent' | 'planned' | 'writing' | 'stopped';

const WORDS: Record<StateMark, string> = {
  live: 'live',
  late: 'late',
  silent: 'silent',
  planned: 'planned, not written',
  writing: 'being written',
  stopped: 'stopped',
};

/** The state of a node as a mark. */
export function markOf(node: Node): StateMark {
  if (node.state === 'planned' || node.state === 'writing' || node.state === 'stopped') return node.state;
  if (node.silent) return 'silent';
  return node.connected || node.heardAt !== null ? 'live' : 'late';
}

/** One stroke or area of a mark in a 14 × 14 box. */
export interface MarkShape {
  readonly d: string;
  readonly fill?: string;
  readonly stroke?: string;
  readonly width?: number;
  readonly dash?: string;
}
const SQUARE = 'M2.9 2.9H11.1V11.1H2.9Z';
/** The marks' shapes, for whoever draws them in a picture of their own. */
export const STATE_SHAPES: Readonly<Record<StateMark, readonly MarkShape[]>> = {
  live: [{ d: 'M2.5 7A4.5 4.5 0 1 0 11.5 7A4.5 4.5 0 1 0 2.5 7Z', fill: 'var(--spruce)' }],
  late: [{ d: 'M7 2.5A4.5 4.5 0 1 0 11.5 7 3.1 3.1 0 0 1 7 2.5Z', fill: 'var(--slate)' }],
  silent: [{ d: 'M2.6 7A4.4 4.4 0 1 0 11.4 7A4.4 4.4 0 1 0 2.6 7Z', stroke: 'var(--slate)', width: 1.7, dash: '2.9 1.7' }],
  planned: [{ d: SQUARE, stroke: 'var(--ink-2)', width: 1.5 }],
  writing: [
    { d: SQUARE, stroke: 'var(--ochre)', width: 1.5 },
    { d: 'M2.9 11.1V2.9H7V11.1Z', fill: 'var(--ochre)' },
  ],
  stopped: [{ d: 'M3 3 11 11M11 3 3 11', stroke: 'var(--carmine)', width: 1.9 }],
};

@Component({
  selector: 'dp-state',
  template: `<svg [attr.width]="size()" [attr.height]="size()" viewBox="0 0 14 14" role="img" [attr.aria-label]="words[of()]">
    @for (shape of shapes[of()]; track shape.d) {
      <path
        [attr.d]="shape.d"
        [attr.fill]="shape.fill ?? 'none'"
        [attr.stroke]="shape.stroke"
        [attr.stroke-width]="shape.width"
        [attr.stroke-dasharray]="shape.dash"
      />
    }
  </svg>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StateGlyph {
  readonly of = input.required<StateMark>();
  readonly size = input(14);
  protected readonly words = WORDS;
  protected readonly shapes = STATE_SHAPES;
}
