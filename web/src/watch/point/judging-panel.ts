import { plan, type Judging, type Point } from '@dewpost/contract';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Api, messageOf } from '../../data/api';
import { ValueField } from '../../parts/value-field';

const HOUR_S = 3600;

/** What a point's readings are judged by, and figures of its own in the place of those of its part. */
@Component({
  selector: 'dp-judging-panel',
  imports: [MatButton, ValueField],
  templateUrl: './judging-panel.html',
  styles: `
    .now,
    .own {
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      gap: 6px;
      padding: 2px 16px 10px;
    }
    .acts {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class JudgingPanel {
  private readonly api = inject(Api);
  readonly point = input.required<Point>();
  readonly maker = input(false);
  protected readonly changing = linkedSignal<boolean>(() => (this.point().id, false));
  protected readonly wanted = linkedSignal<Judging>(() => (this.changing(), this.point().judging));
  protected readonly busy = signal(false);
  protected readonly said = signal<string | null>(null);
  protected readonly stuckHours = computed(() => {
    const { stuckAfterSeconds } = this.wanted();
    return stuckAfterSeconds === null ? null : Number((stuckAfterSeconds / HOUR_S).toPrecision(3));
  });

  /** What is believed now, in words. */
  protected readonly words = computed(() => {
    // What is told in counts yet is judged in what they will be: nothing of it counts before.
    const {
      judging,
      calibratesTo: { unit },
    } = this.point();
    const figure = (value: number): string => `${formatNumber(value, 1)} ${unit}`.trim();
    const { physicalMin, physicalMax, spikeStep, spikeWindow, stuckAfterSeconds, restsAt } = judging;
    return [
      `bad below ${figure(physicalMin)} or above ${figure(physicalMax)}`,
      spikeStep === null ? 'no jump is doubted' : `a jump above ${figure(spikeStep)} is doubted`,
      ...(spikeWindow === null ? [] : [`held against the noise of ${spikeWindow} before it`]),
      stuckAfterSeconds === null
        ? 'it may stand still'
        : `stuck after ${formatDuration(stuckAfterSeconds * 1000)} of one value${restsAt === null ? '' : `, but for ${figure(restsAt)}`}`,
    ].join('; ');
  });

  protected set(change: Partial<Judging>): void {
    this.wanted.update((before) => ({ ...before, ...change }));
  }
  protected seconds(hours: number): number {
    return Math.round(hours * HOUR_S);
  }
  protected async keep(judging: Judging | null): Promise<void> {
    const { node, name } = this.point();
    this.busy.set(true);
    this.said.set(null);
    try {
      await this.api.call(plan.judgePoint, { params: { id: node, point: name }, body: { judging } });
      this.changing.set(false);
    } catch (error) {
      this.said.set(messageOf(error));
    }
    this.busy.set(false);
  }
}
