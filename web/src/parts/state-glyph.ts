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

@Component({
  selector: 'dp-state',
  template: `<svg [attr.width]="size()" [attr.height]="size()" viewBox="0 0 14 14" role="img" [attr.aria-label]="words[of()]">
    @switch (of()) {
      @case ('live') {
        <circle cx="7" cy="7" r="4.5" fill="var(--spruce)" />
      }
      @case ('late') {
        <path d="M7 2.5A4.5 4.5 0 1 0 11.5 7 3.1 3.1 0 0 1 7 2.5Z" fill="var(--slate)" />
      }
      @case ('silent') {
        <circle cx="7" cy="7" r="4.4" fill="none" stroke="var(--slate)" stroke-width="1.7" stroke-dasharray="2.9 1.7" />
      }
      @case ('planned') {
        <rect x="2.9" y="2.9" width="8.2" height="8.2" fill="none" stroke="var(--ink-2)" stroke-width="1.5" />
      }
      @case ('writing') {
        <rect x="2.9" y="2.9" width="8.2" height="8.2" fill="none" stroke="var(--ochre)" stroke-width="1.5" />
        <path d="M2.9 11.1V2.9H7V11.1Z" fill="var(--ochre)" />
      }
      @case ('stopped') {
        <path d="M3 3 11 11M11 3 3 11" fill="none" stroke="var(--carmine)" stroke-width="1.9" />
      }
    }
  </svg>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StateGlyph {
  readonly of = input.required<StateMark>();
  readonly size = input(14);
  protected readonly words = WORDS;
}
