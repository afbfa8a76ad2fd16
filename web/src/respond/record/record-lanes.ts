import type { Excursion } from '@dewpost/core/alarm';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { TRACE_MARGIN } from '../../parts/trace';

/** When a rule would have stood in alarm, as drawn and as in force, each a lane under the record on its own axis of time. */
@Component({
  selector: 'dp-record-lanes',
  template: `
    @for (lane of lanes(); track lane.words) {
      <div class="lane">
        <svg width="100%" height="14" preserveAspectRatio="none" viewBox="0 0 1000 14" aria-hidden="true">
          <path d="M0 13H1000" stroke="var(--hair)" vector-effect="non-scaling-stroke" />
          @for (block of lane.blocks; track $index) {
            <rect [attr.x]="block.x" y="2" [attr.width]="block.width" height="11" [attr.fill]="lane.fill" />
          }
        </svg>
        <span class="quiet">{{ lane.words }}</span>
      </div>
    }
  `,
  styles: `
    .lane {
      display: grid;
      grid-template-columns: 1fr var(--right);
      align-items: center;
      padding-left: var(--left);
    }
    span {
      padding-left: 6px;
      font-size: 11px;
      white-space: nowrap;
    }
  `,
  host: { 'aria-hidden': 'true', '[style.--left]': 'left', '[style.--right]': 'right' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecordLanes {
  readonly from = input.required<number>();
  readonly until = input.required<number>();
  readonly drawn = input.required<readonly Excursion[]>();
  readonly inForce = input.required<readonly Excursion[] | null>();
  /** When the output of the rule that is drawn would have run; `null`: it has none. */
  readonly ran = input<readonly Excursion[] | null>(null);
  protected readonly left = `${TRACE_MARGIN.l}px`;
  protected readonly right = `${TRACE_MARGIN.r}px`;
  protected readonly lanes = computed(() => {
    const [inForce, ran] = [this.inForce(), this.ran()];
    return [
      { words: 'as drawn', fill: 'var(--ink)', blocks: this.blocks(this.drawn()) },
      ...(ran === null ? [] : [{ words: 'output on', fill: 'var(--s1)', blocks: this.blocks(ran) }]),
      ...(inForce === null ? [] : [{ words: 'in force', fill: 'var(--ink-2)', blocks: this.blocks(inForce) }]),
    ];
  });
  /** Every stretch is seen, however short it was. */
  private blocks(excursions: readonly Excursion[]): { x: number; width: number }[] {
    const [from, until] = [this.from(), this.until()];
    const x = (at: number): number => (until > from ? (1000 * (at - from)) / (until - from) : 0);
    return excursions.map((stretch) => ({ x: x(stretch.from), width: Math.max(2, x(stretch.to ?? until) - x(stretch.from)) }));
  }
}
