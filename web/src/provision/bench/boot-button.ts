import type { Boot } from '@dewpost/core/rom-loader';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { MatProgressBar } from '@angular/material/progress-bar';
import { Clock } from '../../parts/clock';

/** The board in the drawing: its left upper corner, length and width, px. */
const BOARD = { x: 24, y: 10, length: 164, width: 76 } as const;
/** A person holds the button as long as it takes: asked for a minute. */
export const HAND_SECONDS = 60;

/** Which button to hold and for how long, on an outline of the board; and how long the chip has been asked while somebody does. */
@Component({
  selector: 'dp-boot-button',
  imports: [MatProgressBar],
  template: `
    <svg width="220" height="104" viewBox="0 0 220 104" role="img" [attr.aria-label]="inWords()">
      <rect [attr.x]="at.x" [attr.y]="at.y" [attr.width]="at.length" [attr.height]="at.width" rx="6" class="edge" />
      <rect [attr.x]="at.x - 12" [attr.y]="at.y + at.width / 2 - 11" width="24" height="22" class="edge" />
      <text [attr.x]="at.x - 10" [attr.y]="at.y + at.width / 2 + 4">USB</text>
      <rect [attr.x]="at.x + at.length - 58" [attr.y]="at.y + 18" width="40" height="40" class="edge" />
      @for (x of pins(); track $index) {
        <circle [attr.cx]="x" [attr.cy]="at.y + 6" r="2.2" class="edge" />
        <circle [attr.cx]="x" [attr.cy]="at.y + at.width - 6" r="2.2" class="edge" />
      }
      <rect [attr.x]="reset().x - 7" [attr.y]="reset().y - 6" width="14" height="12" rx="2" class="edge" />
      <circle [attr.cx]="reset().x" [attr.cy]="reset().y" r="3" class="edge" />
      <text [attr.x]="reset().x + 12" [attr.y]="reset().y + 4">{{ boot().reset }}</text>
      <rect [attr.x]="button().x - 12" [attr.y]="button().y - 10" width="24" height="20" rx="3" class="ring" />
      <rect [attr.x]="button().x - 7" [attr.y]="button().y - 6" width="14" height="12" rx="2" class="edge" />
      <circle [attr.cx]="button().x" [attr.cy]="button().y" r="3.4" class="held" />
      <text [attr.x]="button().x + 17" [attr.y]="button().y + 4" class="named">{{ boot().button }}</text>
    </svg>
    <div>
      <ol>
        <li>
          Hold <b>{{ boot().button }}</b>{{ boot().where ? ', ' + boot().where : '' }}.
        </li>
        <li>
          Press <b>{{ boot().reset }}</b> once, hold on to {{ boot().button }}.
        </li>
        <li>Let go of {{ boot().button }} when this row says <b>erasing</b>.</li>
      </ol>
      @if (waited(); as seconds) {
        <p class="hand" aria-hidden="true">
          <mat-progress-bar mode="determinate" [value]="(seconds * 100) / limit" />
          <span class="mono">{{ seconds }} s of {{ limit }} s</span>
        </p>
      }
      <p class="quiet">
        Drawn from the board’s profile{{ confirmed() ? '' : ', which nobody has confirmed on a real one' }}: what is printed on yours
        counts.
      </p>
    </div>
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      align-items: start;
      gap: 8px 24px;
      padding: 0 16px 12px;
    }
    .edge {
      fill: none;
      stroke: var(--ink-2);
      stroke-width: 1.2;
    }
    .ring {
      fill: none;
      stroke: var(--ink);
      stroke-width: 2.4;
    }
    .held {
      fill: var(--ink);
    }
    text {
      font: 10px var(--mono);
      fill: var(--ink-2);
    }
    .named {
      font-weight: 600;
      fill: var(--ink);
    }
    ol {
      list-style: decimal;
      padding-left: 20px;
      line-height: 22px;
    }
    .hand {
      display: flex;
      align-items: center;
      gap: 12px;
      max-width: 340px;
      padding: 6px 0;
    }
    .hand span {
      white-space: nowrap;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class BootButton {
  private readonly clock = inject(Clock);
  readonly boot = input.required<Boot>();
  /** Pins along each long edge. */
  readonly pinsASide = input(15);
  /** Somebody has written such a board for real. */
  readonly confirmed = input(false);
  /** Since when the chip is asked, ms; `null`: it is not asked now. */
  readonly since = input<number | null>(null);
  protected readonly at = BOARD;
  protected readonly limit = HAND_SECONDS;
  protected readonly waited = computed(() => {
    const since = this.since();
    return since === null ? null : Math.min(HAND_SECONDS, Math.max(1, Math.round((this.clock.now() - since) / 1000)));
  });
  protected readonly pins = computed(() => {
    const count = Math.max(2, Math.min(24, this.pinsASide()));
    const room = BOARD.length - 24;
    return Array.from({ length: count }, (_, i) => BOARD.x + 12 + (room * i) / (count - 1));
  });
  private place([along, across]: readonly [number, number]): { x: number; y: number } {
    return { x: BOARD.x + along * BOARD.length, y: BOARD.y + across * BOARD.width };
  }
  protected readonly button = computed(() => this.place(this.boot().at));
  protected readonly reset = computed(() => this.place(this.boot().resetAt));
  protected readonly inWords = computed(() => {
    const { button, reset, where } = this.boot();
    return `The board from above, its USB socket to the left: ${button} is ringed${where ? `, ${where}` : ''}; ${reset} is the other button.`;
  });
}
