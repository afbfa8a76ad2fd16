import type { TripTest } from '@dewpost/contract';
import { scaleSteps, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';

const WIDTH = 560;
const [LEFT, RIGHT] = [16, 544];
const [TRUNK, UP, DOWN, RAIL] = [62, 30, 94, 128];
/** Between the trunk and where its two ends run level. */
const SLOPE = 14;
/** Words of a post beyond this stand before it. */
const NO_ROOM = 380;

interface Branch {
  readonly path: string;
  readonly post: number | null;
  readonly y: number;
  readonly words: string;
  readonly textX: number;
  readonly anchor: 'start' | 'end';
}

/** One line from reading to rule that forks into message and output, posts where a leg ends; dotted is what has not ended. */
@Component({
  selector: 'dp-leg-fork',
  template: `<svg [attr.viewBox]="'0 0 ' + width + ' 150'" width="100%" aria-hidden="true">
    @if (trunk(); as line) {
      <path [attr.d]="line.path" stroke="var(--ink)" stroke-width="4" fill="none" />
      @for (post of line.posts; track $index) {
        <rect [attr.x]="post.x - 2" y="55" width="4" height="14" fill="var(--panel)" stroke="var(--ink)" stroke-width="1.4" />
        <text class="figure" [attr.x]="post.x" [attr.y]="post.y" [attr.text-anchor]="post.anchor">{{ post.words }}</text>
      }
    } @else {
      <path d="M16 62H544" stroke="var(--rule)" stroke-width="2" stroke-dasharray="2 4" fill="none" />
      <text class="figure" x="16" y="50">nothing yet</text>
    }
    @for (branch of branches(); track branch.words) {
      <path
        [attr.d]="branch.path"
        fill="none"
        [attr.stroke]="branch.post === null ? 'var(--rule)' : 'var(--ink)'"
        [attr.stroke-width]="branch.post === null ? 2 : 4"
        [attr.stroke-dasharray]="branch.post === null ? '2 4' : null"
      />
      @if (branch.post !== null) {
        <rect
          [attr.x]="branch.post - 2"
          [attr.y]="branch.y - 7"
          width="4"
          height="14"
          fill="var(--panel)"
          stroke="var(--ink)"
          stroke-width="1.4"
        />
      }
      <text
        class="figure"
        [attr.x]="branch.textX"
        [attr.y]="branch.y + (branch.anchor === 'end' ? -9 : 4)"
        [attr.text-anchor]="branch.anchor"
      >
        {{ branch.words }}
      </text>
    }
    <path [attr.d]="'M16 128H544' + ticks().path" stroke="var(--rule)" fill="none" />
    @for (tick of ticks().figures; track tick.x) {
      <text class="figure" [attr.x]="tick.x" y="146" text-anchor="middle">{{ tick.text }}</text>
    }
    <text class="figure" x="544" y="122" text-anchor="end">s</text>
  </svg>`,
  styles: `
    :host {
      display: block;
      padding: 6px 16px 0 40px;
      max-width: 720px;
    }
    text {
      font-size: 10.5px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LegFork {
  readonly test = input.required<TripTest>();
  protected readonly width = WIDTH;
  private readonly took = computed(() => new Map(this.test().legs.map(({ leg, ms }) => [leg, ms])));
  /** The end of the axis, ms: what was taken so far, with room for words; a second while nothing has ended. */
  private readonly end = computed(() => {
    const { read, rule, message, output } = this.ends();
    const last = Math.max(read, rule, message ?? 0, output ?? 0);
    return last === 0 ? 1000 : Math.max(20, last) * 1.3;
  });
  private readonly ends = computed(() => {
    const took = this.took();
    const read = took.get('sensor') ?? 0;
    const rule = read + (took.get('rule') ?? 0);
    const after = (leg: 'message' | 'output'): number | null => {
      const ms = took.get(leg);
      return ms === undefined || ms === null ? null : rule + ms;
    };
    return { read, rule, message: after('message'), output: after('output') };
  });
  /** Seconds, to the last place that tells its posts apart. */
  private figure(ms: number): string {
    return formatNumber(ms / 1000, this.end() < 500 ? 3 : 2);
  }
  private readonly x = (ms: number): number => Math.round(LEFT + (ms / this.end()) * (RIGHT - LEFT));
  protected readonly trunk = computed(() => {
    if ((this.took().get('rule') ?? null) === null) return null;
    const { read, rule } = this.ends();
    const [received, tripped] = [this.x(read), this.x(rule)];
    return {
      path: `M${LEFT} ${TRUNK}H${tripped}`,
      posts: [
        { x: received, y: 50, anchor: received < 90 ? 'start' : 'end', words: received - LEFT < 6 ? '' : `received ${this.figure(read)}` },
        { x: tripped, y: 84, anchor: 'end', words: tripped < 90 ? '' : `tripped ${this.figure(rule)}` },
      ],
    };
  });
  protected readonly branches = computed((): Branch[] => {
    if (!this.trunk()) return [];
    const { message, output, rule } = this.ends();
    const from = this.x(rule);
    const branch = (y: number, end: number | null, words: string, waits: string): Branch => {
      const start = from + SLOPE;
      const post = end === null ? null : Math.max(start + 4, this.x(end));
      return {
        path: `M${from} ${TRUNK}L${start} ${y}H${post ?? RIGHT}`,
        post,
        y,
        words: end === null ? waits : `${words} ${this.figure(end)}`,
        // Beyond its post, or before it where there is no room.
        textX: post === null ? RIGHT : post > NO_ROOM ? post - 8 : post + 8,
        anchor: post === null || post > NO_ROOM ? 'end' : 'start',
      };
    };
    const legs = this.took();
    return [
      ...(legs.has('message') ? [branch(UP, message, 'message arrived', 'no message yet')] : []),
      ...(legs.has('output') ? [branch(DOWN, output, 'read back', 'not read back yet')] : []),
    ];
  });
  protected readonly ticks = computed(() => {
    const { major, decimals } = scaleSteps(0, this.end() / 1000);
    const figures: { x: number; text: string }[] = [];
    for (let at = 0; at * 1000 <= this.end(); at += major) figures.push({ x: this.x(at * 1000), text: formatNumber(at, decimals) });
    return { figures, path: figures.map(({ x }) => `M${x} ${RAIL}v5`).join('') };
  });
}
