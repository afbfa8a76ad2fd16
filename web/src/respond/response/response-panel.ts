import type { Point } from '@dewpost/contract';
import { contactYears, RATED_OPERATIONS, type SimulatedControl } from '@dewpost/core/control';
import type { ThresholdRule } from '@dewpost/core/alarm';
import { counted, formatDuration, formatNumber, formatSpan } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, type OnDestroy } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { selectTimezone } from '../../data/selectors';
import { TypedNumberField } from '../../parts/typed-number-field';
import { PlainTable, type PlainColumn, type PlainRow } from '../../parts/plain-table';
import { Trace, type TraceSource } from '../../parts/trace';
import type { TraceBand } from '../../parts/trace-shapes';
import { AskedAway } from '../record/asked-away';
import { loadRecord } from '../record/load-record';
import { RehearsalWorkers } from '../record/rehearser';
import { guardsOf } from '../rule/rehearsed-output';
import type { AnsweredRecord, ResponseAnswer, ResponseJob } from './response-jobs';

const HOUR_MS = 3_600_000;
const LOOK_BACK_MS = 14 * 24 * HOUR_MS;

/** How the room answers to the output of a rule, fitted to what was recorded, and what the rule that is drawn would do with it. */
@Component({
  selector: 'dp-response-panel',
  imports: [MatButton, TypedNumberField, PlainTable, Trace],
  templateUrl: './response-panel.html',
  styleUrl: './response-panel.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ResponsePanel implements OnDestroy {
  private readonly api = inject(Api);
  private readonly workers = inject(RehearsalWorkers);
  private readonly away = new AskedAway<AnsweredRecord, ResponseJob, ResponseAnswer | { refused: string }>(() =>
    this.workers.openResponse(),
  );
  protected readonly zone = inject(Store).selectSignal(selectTimezone);
  readonly point = input.required<Point>();
  readonly switched = input.required<Point>();
  readonly draft = input<ThresholdRule | null>(null);
  readonly inForce = input<ThresholdRule | null>(null);
  readonly reportSeconds = input(30);

  /** Fitted for this pair of points; `null`: nobody has asked. */
  private readonly loadedFor = signal<string | null>(null);
  private readonly pair = computed(() => `${this.point().id} ${this.switched().id}`);
  protected readonly busy = signal(false);
  protected readonly failed = signal<string | null>(null);
  private readonly answered = signal<ResponseAnswer | { refused: string } | null>(null);
  protected readonly asked = computed(() => this.loadedFor() === this.pair());
  protected readonly refused = computed(() => {
    const answer = this.asked() ? this.answered() : null;
    return answer && 'refused' in answer ? answer.refused : null;
  });
  protected readonly answer = computed(() => {
    const answer = this.asked() ? this.answered() : null;
    return answer && 'plant' in answer ? answer : null;
  });
  protected readonly watts = signal<number | null>(null);
  protected readonly columns = COLUMNS;

  protected readonly words = computed(() => {
    const plant = this.answer()?.plant;
    if (!plant) return '';
    const unit = this.point().unit;
    const figure = (value: number): string => `${formatNumber(value, this.point().decimals)} ${unit}`.trim();
    const dead = plant.deadSeconds >= 1 ? `Nothing is seen of it for ${formatSpan(Math.round(plant.deadSeconds))}; then it` : 'It';
    return (
      `${dead} moves by ${figure(plant.gain)} in all, two thirds of that within ${formatSpan(Math.round(plant.tau))}; without it, it rests at ${figure(plant.rests)}` +
      `${plant.swing > 0 ? `, ${figure(plant.swing)} up and down with the day` : ''}. ` +
      `Fitted to ${counted(plant.runs, 'run')}: it explains ${formatNumber(plant.explained * 100, 0)} % of what moved, and leaves ${figure(plant.residual)}.`
    );
  });
  protected readonly rows = computed((): PlainRow[] => {
    const answer = this.answer();
    if (!answer) return [];
    return [
      ...(answer.draft ? [this.rowOf('as drawn', answer.draft)] : []),
      ...(answer.inForce ? [this.rowOf('in force', answer.inForce)] : []),
    ];
  });
  protected readonly guarded = computed(() => {
    const often = this.answer()?.draft?.guardedPerDay ?? 0;
    return often < 0.5 ? '' : `Its guards would end a run, hold one back or make it go on ${formatNumber(often, 0)} times a day.`;
  });
  protected readonly series = computed(() => [{ id: this.point().id, label: this.point().label, unit: this.point().unit }]);
  protected readonly bands = computed((): TraceBand[] => {
    const draft = this.draft();
    if (!draft) return [];
    const { side, setpoint, clearLevel } = draft;
    return [{ unit: this.point().unit, side, setpoint, severity: 'advisory', ...(clearLevel !== undefined && { clearLevel }) }];
  });
  protected readonly source = computed((): TraceSource => {
    const trace = this.answer()?.draft?.trace ?? [];
    const begin = Date.now() - 24 * HOUR_MS;
    const every = Math.ceil(trace.length / 1500) || 1;
    const rows = trace.flatMap(({ at, value }, i): [number, number, number][] => (i % every === 0 ? [[begin + at, value, 0]] : []));
    return { history: () => Promise.resolve(rows), listen: () => () => undefined };
  });

  constructor() {
    effect(() => {
      if (!this.asked()) return;
      void this.away.ask(this.job()).then((answer) => {
        if (answer) this.answered.set(answer);
      });
    });
  }

  ngOnDestroy(): void {
    this.away.end();
  }

  protected async fit(): Promise<void> {
    this.busy.set(true);
    this.failed.set(null);
    try {
      const until = Date.now();
      const [read, did] = await Promise.all([
        loadRecord(this.api, this.point(), until - LOOK_BACK_MS, until),
        loadRecord(this.api, this.switched(), until - LOOK_BACK_MS, until),
      ]);
      this.answered.set(null);
      await this.away.load({
        readings: read.samples.filter(({ quality }) => quality === 'good').map(({ at, value }) => ({ at, value })),
        switched: did.samples.map(({ at, value }) => ({ at, on: value >= 0.5 })),
      });
      this.loadedFor.set(this.pair());
    } catch (error) {
      this.failed.set(messageOf(error));
    }
    this.busy.set(false);
  }

  private job(): ResponseJob {
    return { draft: this.draft(), inForce: this.inForce(), guards: guardsOf(this.switched()), reportMs: this.reportSeconds() * 1000 };
  }

  private rowOf(what: string, control: SimulatedControl): PlainRow {
    const { decimals } = this.point();
    const watts = this.watts();
    const hours = control.duty * 24;
    return {
      what,
      starts: formatNumber(control.startsPerDay, 1),
      period: control.periodSeconds === null ? '–' : formatDuration(control.periodSeconds * 1000),
      runs: `${formatNumber(hours, 1)} h`,
      from: `${formatNumber(control.lowest, decimals)} … ${formatNumber(control.highest, decimals)}`,
      past: control.startsPerDay === 0 ? '–' : formatNumber(control.overshoot, decimals),
      contact: control.startsPerDay === 0 ? '–' : `${formatNumber(contactYears(RATED_OPERATIONS, control.startsPerDay), 1)} a`,
      energy: watts === null ? '–' : `${formatNumber((hours * watts) / 1000, 2)} kWh`,
    };
  }
}

const COLUMNS: readonly PlainColumn[] = [
  { id: 'what', label: 'rule', kind: 'head' },
  { id: 'starts', label: 'starts a day', kind: 'figure' },
  { id: 'period', label: 'period', kind: 'figure' },
  { id: 'runs', label: 'runs a day', kind: 'figure' },
  { id: 'from', label: 'reads', kind: 'figure' },
  { id: 'past', label: 'overshoot', kind: 'figure' },
  { id: 'contact', label: 'contact', kind: 'figure' },
  { id: 'energy', label: 'energy', kind: 'figure' },
];
