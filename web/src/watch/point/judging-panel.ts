import { plan, type Judging, type Point } from '@dewpost/contract';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, signal, untracked } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Api, messageOf } from '../../data/api';
import { ValueField } from '../../parts/value-field';

/** A figure that may be said otherwise. */
interface Field {
  readonly name: keyof Judging;
  readonly label: string;
  readonly unit: string;
  readonly optional: boolean;
  readonly min: number;
  readonly max: number;
  readonly step: number | string;
  readonly value: number | null;
}

const HOUR_S = 3600;
const MOST = 1e12;
const LEAST_JUMP = 0.001;

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
  // Another point ends it; the same one told anew (it has reported, was renamed) leaves what was typed.
  private readonly id = computed(() => this.point().id);
  protected readonly changing = linkedSignal<boolean>(() => (this.id(), false));
  protected readonly wanted = linkedSignal<Judging>(() => (this.changing(), this.id(), untracked(() => this.point().judging)));
  protected readonly busy = signal(false);
  protected readonly said = signal<string | null>(null);
  /** What can be said otherwise, as it is wanted now; a time is told in hours. */
  protected readonly fields = computed((): readonly Field[] => {
    const [wanted, { unit }] = [this.wanted(), this.point().calibratesTo];
    const any = { unit, optional: true, min: -MOST, max: MOST, step: 'any' };
    const { stuckAfterSeconds: stuck } = wanted;
    return [
      { ...any, name: 'physicalMin', label: 'Bad below', value: wanted.physicalMin, optional: false },
      { ...any, name: 'physicalMax', label: 'Bad above', value: wanted.physicalMax, optional: false },
      { ...any, name: 'spikeStep', label: 'A jump above', value: wanted.spikeStep, min: LEAST_JUMP },
      {
        ...any,
        name: 'spikeWindow',
        label: 'Held against the noise of',
        value: wanted.spikeWindow,
        unit: 'readings',
        min: 5,
        max: 31,
        step: 1,
      },
      {
        ...{ ...any, name: 'stuckAfterSeconds', label: 'Stuck after one value for', unit: 'h', min: 0.01, max: 720 },
        value: stuck === null ? null : Number((stuck / HOUR_S).toPrecision(3)),
      },
      { ...any, name: 'restsAt', label: 'But for this value', value: wanted.restsAt },
    ];
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

  protected set(name: keyof Judging, value: number | null): void {
    const seconds = name === 'stuckAfterSeconds' && value !== null ? Math.round(value * HOUR_S) : value;
    this.wanted.update((before) => ({ ...before, [name]: seconds }));
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
