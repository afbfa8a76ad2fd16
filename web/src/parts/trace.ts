import type { ReadingRow } from '@dewpost/contract';
import {
  ChangeDetectionStrategy,
  Component,
  effect,
  type ElementRef,
  inject,
  input,
  type OnDestroy,
  output,
  viewChild,
} from '@angular/core';
import type { Data, Layout, PlotlyHTMLElement } from 'plotly.js-basic-dist-min';
import { colourIn, LIMIT_COLOUR, loadPlotly, plain, shownAt, type PlotlyModule } from './plot';
import { Theme } from './theme';
import { offsetsOf } from './times';
import { rangeOf } from './trace-range';
import { bandShapes, endLabels, type TraceBand, type TraceSeries } from './trace-shapes';

/** Where the uppermost scale lies in the trace, px from its top, and the values at its ends. */
export interface TraceScale {
  readonly top: number;
  readonly height: number;
  readonly low: number;
  readonly high: number;
}
/** Room around the plot, px. */
export const TRACE_MARGIN = { l: 56, r: 118, t: 6, b: 26 } as const;

/** Where a trace gets its readings: history once, then every reading as it comes. */
export interface TraceSource {
  history(point: number, from: number, to: number): Promise<ReadingRow[]>;
  listen(take: (readings: readonly (readonly [number, number, number, string, ...unknown[]])[]) => void): () => void;
}

/** Several series over time on one chart, one scale a unit, with the thresholds as bands. Plotly is loaded when it is shown. */
@Component({
  selector: 'dp-trace',
  template: `<div #plot class="plot" role="img" [attr.aria-label]="label()"></div>
    <div class="ends" aria-hidden="true"></div>`,
  styles: `
    :host {
      display: block;
      position: relative;
    }
    .plot {
      height: 100%;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Trace implements OnDestroy {
  private readonly theme = inject(Theme);
  readonly series = input.required<readonly TraceSeries[]>();
  readonly bands = input<readonly TraceBand[]>([]);
  readonly source = input.required<TraceSource>();
  readonly hours = input(1);
  /** The end of its time, ms; `null`: now, and it goes on. */
  readonly until = input<number | null>(null);
  /** True: the scale reaches to every limit, however far the readings are from it. */
  readonly reach = input(false);
  /** The scale stands still, whatever is drawn on it: somebody drags a line over it. */
  readonly fixed = input<readonly [low: number, high: number] | null>(null);
  /** Times marked at the foot, ms, in the colour of this severity. */
  readonly marks = input<readonly number[]>([]);
  readonly marksOf = input<TraceBand['severity']>('advisory');
  readonly scaled = output<TraceScale>();
  readonly zone = input('UTC');
  /** Bumped when history has to be fetched anew. */
  readonly generation = input(0);
  readonly label = input('Trace');

  private readonly plot = viewChild.required<ElementRef<HTMLElement>>('plot');
  private readonly data = new Map<number, { x: number[]; y: (number | null)[] }>();
  private plotly: PlotlyModule | null = null;
  private stop: () => void = () => undefined;
  private timer: ReturnType<typeof setInterval> | null = null;
  private dirty = false;
  private run = 0;

  constructor() {
    effect(() => {
      const series = this.series();
      const hours = this.hours();
      const source = this.source();
      this.generation();
      void this.load(series, hours, source);
    });
    effect(() => {
      this.bands();
      this.marks();
      this.theme.dark();
      this.zone();
      void this.draw();
    });
    this.timer = setInterval(() => {
      if (this.dirty) void this.draw();
    }, 1000);
    addEventListener('resize', this.onResize);
  }

  ngOnDestroy(): void {
    this.run++;
    this.stop();
    if (this.timer) clearInterval(this.timer);
    removeEventListener('resize', this.onResize);
    this.plotly?.purge(this.plot().nativeElement as PlotlyHTMLElement);
  }

  private readonly onResize = (): void => {
    this.dirty = true;
  };

  private async load(series: readonly TraceSeries[], hours: number, source: TraceSource): Promise<void> {
    const run = ++this.run;
    this.stop();
    const ids = new Set(series.map((one) => one.id));
    // Listen first and fetch second: what comes meanwhile is laid over the history.
    const early: (readonly [number, number, number, string, ...unknown[]])[] = [];
    let loaded = false;
    this.stop = source.listen((readings) => {
      const mine = readings.filter(([point, , , quality]) => ids.has(point) && quality !== 'bad');
      if (loaded) this.append(mine);
      else early.push(...mine);
    });
    const to = this.until() ?? Date.now();
    const from = to - hours * 3_600_000;
    const histories = await Promise.all(series.map((one) => source.history(one.id, from, to).catch(() => [])));
    if (run !== this.run) return;
    this.data.clear();
    series.forEach((one, i) => {
      const rows = (histories[i] ?? []).filter(([, , quality]) => quality < 2);
      this.data.set(one.id, { x: rows.map(([at]) => at), y: rows.map(([, value]) => value) });
    });
    loaded = true;
    this.append(early);
    await this.draw();
  }

  private append(readings: readonly (readonly [number, number, number, ...unknown[]])[]): void {
    const oldest = (this.until() ?? Date.now()) - this.hours() * 3_600_000;
    for (const [point, at, value] of readings) {
      const series = this.data.get(point);
      if (!series) continue;
      let i = series.x.length;
      while (i > 0 && (series.x[i - 1] ?? 0) > at) i--;
      if (series.x[i - 1] === at) continue;
      series.x.splice(i, 0, at);
      series.y.splice(i, 0, value);
      while ((series.x[0] ?? at) < oldest) {
        series.x.shift();
        series.y.shift();
      }
      this.dirty = true;
    }
  }

  private colour(name: string): string {
    return colourIn(this.plot().nativeElement, name);
  }

  private async draw(): Promise<void> {
    this.dirty = false;
    const series = this.series();
    const bands = this.bands();
    const run = this.run;
    this.plotly ??= await loadPlotly();
    if (run !== this.run && this.run === 0) return;
    const element = this.plot().nativeElement;
    if (!element.isConnected) return;
    const units = [...new Set(series.map((one) => one.unit))];
    const ink2 = this.colour('--ink-2');
    const hair = this.colour('--hair');
    const rule = this.colour('--rule');
    const axis = (i: number): string => (i === 0 ? 'y' : `y${i + 1}`);
    const share = 1 / Math.max(1, units.length);
    // Times are drawn in the site's zone: Plotly knows only one clock, so each is shifted to what the site's showed then.
    const offset = offsetsOf(this.zone());
    const traces = series.map((one, i): Partial<Data> => {
      const { x, y } = this.data.get(one.id) ?? { x: [], y: [] };
      return {
        type: 'scatter',
        mode: 'lines',
        name: one.label,
        x: x.map((at) => shownAt(at, offset)),
        y,
        yaxis: axis(units.indexOf(one.unit)) as 'y',
        line: { color: this.colour(`--s${(i % 8) + 1}`), width: 1.5 },
        hovertemplate: `%{y:.1f} ${one.unit} %{x|%H:%M:%S}<extra>${plain(one.label)}</extra>`,
      };
    });
    const marks = this.marks();
    if (marks.length > 0)
      traces.push({
        type: 'scatter',
        mode: 'markers',
        x: marks.map((at) => shownAt(at, offset)),
        y: marks.map(() => this.rangeFor(units[0] ?? '', series).range[0]),
        cliponaxis: false,
        marker: { symbol: 'triangle-down', size: 9, color: this.colour(LIMIT_COLOUR[this.marksOf()]) },
        hovertemplate: `%{x|%d %b %H:%M}<extra>trips</extra>`,
      } as Partial<Data>);
    const yaxes = Object.fromEntries(
      units.map((unit, i) => {
        const domain = [1 - (i + 1) * share + (units.length > 1 ? 0.04 : 0), 1 - i * share];
        return [
          `yaxis${i === 0 ? '' : i + 1}`,
          {
            domain,
            ...this.rangeFor(unit, series),
            gridcolor: hair,
            linecolor: rule,
            tickfont: { color: ink2, size: 10, family: 'Martian Mono Variable' },
            ticks: 'outside',
            ticklen: 5,
            tickcolor: rule,
            zeroline: false,
            ticksuffix: ` ${unit}`,
            nticks: 5,
            fixedrange: true,
          },
        ];
      }),
    );
    const shapes = bands.flatMap((band) => {
      const place = units.indexOf(band.unit);
      if (place < 0) return [];
      return bandShapes(band, { axis: place, range: this.rangeFor(band.unit, series).range }, (name) => this.colour(name));
    });
    const end = this.until() ?? Date.now();
    const layout: Partial<Layout> = {
      ...yaxes,
      xaxis: {
        type: 'date',
        range: [shownAt(end - this.hours() * 3_600_000, offset), shownAt(end, offset)],
        gridcolor: hair,
        linecolor: rule,
        tickfont: { color: ink2, size: 10, family: 'Martian Mono Variable' },
        tickformat: this.hours() > 48 ? '%d %b' : '%H:%M',
        anchor: axis(units.length - 1) as 'y',
        fixedrange: true,
      },
      shapes,
      annotations: this.endLabels(series, units),
      margin: { ...TRACE_MARGIN },
      paper_bgcolor: 'rgba(0,0,0,0)',
      plot_bgcolor: 'rgba(0,0,0,0)',
      showlegend: false,
      hovermode: 'closest',
      font: { family: 'Hanken Grotesk Variable', size: 12, color: ink2 },
      hoverlabel: { bgcolor: this.colour('--panel'), bordercolor: rule, font: { color: this.colour('--ink') } },
    };
    await this.plotly.react(element, traces as Data[], layout, { displayModeBar: false, responsive: true });
    const [low, high] = this.rangeFor(units[0] ?? '', series).range;
    const height = (element.clientHeight - TRACE_MARGIN.t - TRACE_MARGIN.b) * (units.length > 1 ? share - 0.04 : 1);
    this.scaled.emit({ top: TRACE_MARGIN.t, height, low, high });
  }

  private rangeFor(unit: string, series: readonly TraceSeries[]): { range: [number, number] } {
    const fixed = this.fixed();
    if (fixed) return { range: [...fixed] };
    const limits = this.reach() ? this.bands().filter((band) => band.unit === unit) : [];
    return rangeOf([
      limits.map(({ setpoint }) => setpoint),
      ...series.filter((one) => one.unit === unit).map((one) => this.data.get(one.id)?.y ?? []),
    ]);
  }

  private endLabels(series: readonly TraceSeries[], units: string[]): Partial<Layout>['annotations'] {
    const height = (this.plot().nativeElement.clientHeight || 220) / units.length;
    return units.flatMap((unit, axis) =>
      endLabels(
        series.flatMap((one, place) => {
          const y = this.data.get(one.id)?.y.at(-1);
          return one.unit === unit && typeof y === 'number' ? [{ label: one.label, y, colour: this.colour(`--s${(place % 8) + 1}`) }] : [];
        }),
        { axis, height, range: this.rangeFor(unit, series).range },
      ),
    );
  }
}
