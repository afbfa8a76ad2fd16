import { counted } from '@dewpost/core/quantity';
import type { Rollout } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

const WIDTH = 560;
const LEFT = 14;

/** A rollout on a scale of its nodes: a stop for each step, what is through, what is watched, and the halting rule's figure below. */
@Component({
  selector: 'dp-rollout-scale',
  // Wider than a phone: it scrolls, so it can be reached.
  host: { tabindex: '0', role: 'img', '[attr.aria-label]': 'words()' },
  template: `<svg [attr.width]="width + 28" height="92" [attr.viewBox]="'0 0 ' + (width + 28) + ' 92'" aria-hidden="true">
    <path [attr.d]="'M' + left + ' 38H' + (left + width)" stroke="var(--ink-2)" stroke-width="1.1" />
    <rect [attr.x]="left" y="35.5" [attr.width]="at(through())" height="5" fill="var(--spruce)" />
    @if (begun() > through()) {
      <rect [attr.x]="left + at(through())" y="32" [attr.width]="at(begun()) - at(through())" height="8" fill="url(#hatch-1)" />
    }
    @for (size of rollout().sizes; track size; let i = $index) {
      <path [attr.d]="'M' + (left + at(size)) + ' 38v9'" stroke="var(--rule)" />
      <text class="figure" [attr.x]="left + at(size)" y="58" text-anchor="middle">{{ size }}</text>
      @if (i === 0) {
        <text class="small" [attr.x]="left + at(size)" y="72" [attr.text-anchor]="at(size) < 40 ? 'start' : 'middle'">canaries</text>
      }
    }
    <path [attr.d]="'M' + (left + at(begun()) - 6) + ' 14h12l-6 18Z'" [attr.fill]="stopped() ? 'var(--carmine)' : 'var(--ink)'" />
    <text
      class="small"
      [attr.x]="left + at(begun()) + (at(begun()) > width - 160 ? -10 : 10)"
      y="24"
      [attr.text-anchor]="at(begun()) > width - 160 ? 'end' : 'start'"
    >
      {{ says() }}
    </text>
  </svg>`,
  styles: `
    :host {
      display: block;
      overflow-x: auto;
    }
    .small {
      font-size: 12px;
      fill: var(--ink-2);
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RolloutScale {
  readonly rollout = input.required<Rollout>();
  protected readonly width = WIDTH;
  protected readonly left = LEFT;
  protected readonly all = computed(() => Math.max(1, this.rollout().sizes.at(-1) ?? 1));
  protected readonly begun = computed(
    () => this.rollout().nodes.filter((node) => node.step >= 0 && node.state !== 'waiting' && node.state !== 'left-out').length,
  );
  protected readonly through = computed(() => this.rollout().nodes.filter((node) => node.state === 'healthy').length);
  protected readonly stopped = computed(() => ['halted', 'going-back', 'rolled-back'].includes(this.rollout().state));
  protected readonly says = computed(() => {
    const { state, nodes } = this.rollout();
    const watched = nodes.filter((node) => node.state === 'watched').length;
    if (state === 'running') return watched > 0 ? `watching ${watched}` : `${this.begun()} of ${this.all()} begun`;
    return { paused: 'paused', halted: 'halted', 'going-back': 'going back', 'rolled-back': 'rolled back', done: 'through' }[state];
  });
  protected readonly words = computed(
    () => `${this.through()} of ${counted(this.all(), 'node')} through, ${this.begun()} have begun: ${this.says()}`,
  );

  protected at(count: number): number {
    return (count / this.all()) * WIDTH;
  }
}
