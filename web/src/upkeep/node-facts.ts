import { upkeep, type NodeFact, type ReadingRow } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource } from '@angular/core';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { selectTimezone } from '../data/selectors';
import { dayAndTime } from '../parts/times';
import { Trace, type TraceSource } from '../parts/trace';
import type { TraceSeries } from '../parts/trace-shapes';

const VOLTS: TraceSeries = { id: 1, label: 'Supply', unit: 'V' };
const SIGNAL: TraceSeries = { id: 2, label: 'Signal', unit: 'dBm' };
const HOUR_MS = 3_600_000;

/** What a node said of its supply and its signal at each start, over the years: what weakens shows before it fails. */
@Component({
  selector: 'dp-node-facts',
  imports: [Trace],
  template: `
    <h2>Supply and signal</h2>
    @if (problem(); as said) {
      <p class="said" role="alert">{{ said }}</p>
    } @else if (series().length > 0) {
      <p class="muted">As it said at each start, since {{ since() }}.</p>
      <dp-trace [series]="series()" [source]="source()" [hours]="hours()" [zone]="zone()" [label]="words()" />
    } @else if (!facts.isLoading()) {
      <p class="muted">{{ nothing() }}</p>
    }
  `,
  styles: `
    :host {
      display: block;
      padding: 12px 16px 6px 56px;
    }
    dp-trace {
      height: 200px;
      margin-left: -40px;
    }
    @media (max-width: 899px) {
      :host {
        padding-left: 16px;
      }
      dp-trace {
        margin-left: 0;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NodeFacts {
  private readonly api = inject(Api);
  readonly node = input.required<string>();
  protected readonly zone = inject(Store).selectSignal(selectTimezone);
  protected readonly facts = resource({
    params: () => this.node(),
    loader: ({ params }) => this.api.call(upkeep.facts, { params: { id: params } }),
  });
  private readonly said = computed<readonly NodeFact[]>(() => (this.facts.hasValue() ? this.facts.value() : []));
  protected readonly problem = computed(() => (this.facts.error() ? messageOf(this.facts.error()) : null));
  /** A line takes two starts. */
  protected readonly series = computed(() =>
    [VOLTS, SIGNAL].filter((series) => this.said().filter((fact) => valueOf(fact, series.id) !== null).length > 1),
  );
  protected readonly since = computed(() => dayAndTime(this.said()[0]?.at ?? 0, this.zone()));
  protected readonly hours = computed(() => Math.max(1, Math.ceil((Date.now() - (this.said()[0]?.at ?? Date.now())) / HOUR_MS)));
  protected readonly nothing = computed(() =>
    this.said().length === 0
      ? 'It has not said anything of them yet: it does at each start.'
      : 'It has said it once. A line is drawn from its second start on.',
  );
  /** The same in words. */
  protected readonly words = computed(() => {
    const parts = this.series().map(({ id, label, unit }) => {
      const values = this.said().flatMap((fact) => valueOf(fact, id) ?? []);
      return `${label} ${values[0]} ${unit} at first, ${values.at(-1)} ${unit} last, ${Math.min(...values)} ${unit} at least`;
    });
    return parts.join('; ');
  });
  protected readonly source = computed<TraceSource>(() => {
    const said = this.said();
    return {
      history: (series, from) =>
        Promise.resolve(
          said.flatMap((fact): ReadingRow[] => {
            const value = valueOf(fact, series);
            return value === null || fact.at < from ? [] : [[fact.at, value, 0]];
          }),
        ),
      listen: () => () => undefined,
    };
  });
}

const valueOf = (fact: NodeFact, series: number): number | null => (series === VOLTS.id ? fact.volts : fact.rssiDbm);
