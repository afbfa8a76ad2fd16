import type { Calibration, PointRecord, Threshold } from '@dewpost/contract';
import { formatNumber } from '@dewpost/core/quantity';
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
import type { Data, Layout, PlotlyHTMLElement, Shape } from 'plotly.js-basic-dist-min';
import { colourIn, loadPlotly, plain, shownAt, type PlotlyModule } from '../../parts/plot';
import { Theme } from '../../parts/theme';
import { offsetsOf } from '../../parts/times';
import { rangeOf } from '../../parts/trace-range';
import { bucketsOf, missingIn } from './record-figures';
import { laneShapes, LANES, laneWords } from './record-lanes';
import { bandShapes } from '../../parts/trace-shapes';

/** Another record laid over the first: another point, or the same one of an earlier time. */
export interface Overlay {
  readonly label: string;
  readonly unit: string;
  readonly stretches: PointRecord['stretches'];
  /** How much later it is drawn than it was, ms. */
  readonly shift: number;
}

/** Fewer stretches than this are seen as marks too: a line wants two. */
const FEW = 40;
const FONT = 'Martian Mono Variable';

/** A record as lowest to highest with its mean, gaps as gaps, limits as bands; what happened stands in lanes along the time axis. Dragged and zoomed. */
@Component({
  selector: 'dp-record-chart',
  template: `<div #plot class="plot" role="img" [attr.aria-label]="label()"></div>`,
  styles: `
    :host {
      display: block;
    }
    .plot {
      height: 470px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RecordChart implements OnDestroy {
  private readonly theme = inject(Theme);
  readonly record = input.required<PointRecord>();
  readonly overlays = input<readonly Overlay[]>([]);
  readonly limits = input<readonly Pick<Threshold, 'side' | 'setpoint' | 'severity'>[]>([]);
  readonly calibrations = input<readonly Pick<Calibration, 'from' | 'version' | 'withdrawnAt'>[]>([]);
  /** What outputs are called that rules here switch, by their numbers. */
  readonly outputs = input<ReadonlyMap<number, string>>(new Map());
  readonly zone = input('UTC');
  readonly label = input('Record');
  /** The span that somebody dragged or zoomed to, ms. */
  readonly ranged = output<{ from: number; to: number }>();

  private readonly plot = viewChild.required<ElementRef<HTMLElement>>('plot');
  private plotly: PlotlyModule | null = null;
  private gone = false;
  private listening = false;

  constructor() {
    effect(() => {
      this.record();
      this.overlays();
      this.limits();
      this.calibrations();
      this.outputs();
      this.zone();
      this.theme.dark();
      void this.draw();
    });
  }

  ngOnDestroy(): void {
    this.gone = true;
    this.plotly?.purge(this.plot().nativeElement as PlotlyHTMLElement);
  }

  /** Saves what is drawn as a picture. */
  async save(name: string): Promise<void> {
    await this.plotly?.downloadImage(this.plot().nativeElement, { format: 'png', width: 1280, height: 560, filename: name });
  }

  private async draw(): Promise<void> {
    this.plotly ??= await loadPlotly();
    const element = this.plot().nativeElement;
    if (this.gone || !element.isConnected) return;
    const colour = (name: string): string => colourIn(element, name);
    const record = this.record();
    const offset = offsetsOf(this.zone());
    const at = (ms: number): string => shownAt(ms, offset);
    const buckets = bucketsOf(record);
    const inLanes = { record, calibrations: this.calibrations(), outputs: this.outputs() };
    const { gaps } = missingIn(record, Date.now());
    const trials = record.trials.flatMap(([, low, , high]) => (low === null || high === null ? [] : [low, high]));
    const { range } = rangeOf([[...buckets.filter(({ count }) => count > 0).flatMap(({ low, high }) => [low, high]), ...trials]]);
    const units = [...new Set(this.overlays().map(({ unit }) => unit))].filter((unit) => unit !== record.point.unit);
    const ticks = { color: colour('--ink-2'), size: 10, family: FONT };
    const yaxis = {
      domain: [LANES + 0.03, 1],
      gridcolor: colour('--hair'),
      linecolor: colour('--rule'),
      tickfont: ticks,
      ticks: 'outside' as const,
      ticklen: 5,
      tickcolor: colour('--rule'),
      zeroline: false,
      nticks: 7,
      fixedrange: true,
    };
    const layout: Partial<Layout> = {
      xaxis: {
        type: 'date',
        range: [at(record.from), at(record.to)],
        gridcolor: colour('--hair'),
        linecolor: colour('--rule'),
        tickfont: ticks,
        tickformat: record.to - record.from > 3 * 86_400_000 ? '%d %b\n%Y' : '%H:%M\n%a %d %b',
        anchor: 'free',
        position: 0,
      },
      // Its figures stand in the margin; the unit is said above.
      yaxis: { ...yaxis, range },
      // Another unit has a scale of its own, at the right; a third shares it.
      ...(units.length > 0 && { yaxis2: { ...yaxis, overlaying: 'y', side: 'right', showgrid: false, ticksuffix: ` ${units[0]}` } }),
      shapes: [
        ...this.limits().flatMap(({ side, setpoint, severity }) => bandShapes({ side, setpoint, severity }, { axis: 0, range }, colour)),
        ...gaps.map((gap): Partial<Shape> => ({
          ...{ type: 'rect', xref: 'x', x0: at(gap.from), x1: at(gap.to), yref: 'paper', y0: LANES + 0.03, y1: 1 },
          ...{ fillcolor: colour('--rule'), opacity: 0.18, line: { width: 0 }, layer: 'below' },
        })),
        ...laneShapes(inLanes, { at, colour }),
      ],
      annotations: [...laneWords(inLanes, { at, colour }), ...this.limitWords(colour)],
      margin: { l: 41, r: units.length > 0 ? 64 : 18, t: 8, b: 38 },
      paper_bgcolor: 'rgba(0,0,0,0)',
      plot_bgcolor: 'rgba(0,0,0,0)',
      showlegend: this.overlays().length > 0,
      legend: { orientation: 'h', y: 1.06, font: { size: 11 } },
      hovermode: 'x',
      dragmode: 'pan',
      font: { family: 'Hanken Grotesk Variable', size: 12, color: colour('--ink-2') },
      hoverlabel: { bgcolor: colour('--panel'), bordercolor: colour('--rule'), font: { color: colour('--ink') } },
    };
    await this.plotly.react(element, this.traces(at, gaps, colour), layout, { displayModeBar: false, responsive: true, scrollZoom: true });
    this.listen(element as PlotlyHTMLElement, offset);
  }

  private traces(at: (ms: number) => string, gaps: readonly { from: number; to: number }[], colour: (name: string) => string): Data[] {
    const { point, stretches, width } = this.record();
    const x: (string | null)[] = [];
    const mean: (number | null)[] = [];
    // A gap is a gap: line and band end before it and begin again after it.
    const band: { x: (string | null)[]; y: (number | null)[] } = { x: [], y: [] };
    let piece: { x: string; low: number; high: number }[] = [];
    const close = (): void => {
      const back = [...piece].reverse();
      band.x.push(...piece.map((one) => one.x), ...back.map((one) => one.x), null);
      band.y.push(...piece.map((one) => one.high), ...back.map((one) => one.low), null);
      x.push(null);
      mean.push(null);
      piece = [];
    };
    let gap = 0;
    for (const [begin, low, middle, high, count, , , , firstAt, lastAt] of stretches) {
      if (count === 0 || low === null || high === null) continue;
      while ((gaps[gap]?.to ?? Infinity) <= (firstAt ?? begin)) {
        gap++;
        if (piece.length > 0) close();
      }
      const place = at(Math.min(begin + width / 2, lastAt ?? Infinity));
      x.push(place);
      mean.push(middle);
      piece.push({ x: place, low, high });
    }
    if (piece.length > 0) close();
    const suspects = stretches.filter(([, , middle, , , suspect]) => suspect > 0 && middle !== null);
    const others = this.overlays().map((overlay, i): Partial<Data> => ({
      type: 'scatter',
      mode: 'lines',
      name: plain(overlay.label),
      x: overlay.stretches.map(([begin]) => at(begin + overlay.shift + width / 2)),
      y: overlay.stretches.map(([, , middle]) => middle),
      yaxis: overlay.unit === point.unit ? 'y' : 'y2',
      line: { color: colour(`--s${((i + 1) % 8) + 1}`), width: 1.3, dash: overlay.shift > 0 ? 'dot' : 'solid' },
      hovertemplate: `%{y:.${point.decimals}f} ${plain(overlay.unit)}<extra>${plain(overlay.label)}</extra>`,
    }));
    const trials = this.record().trials.filter(([, , middle]) => middle !== null);
    return [
      {
        ...{ type: 'scatter', mode: 'lines+markers', name: 'trials', showlegend: false, connectgaps: false },
        x: trials.map(([begin]) => at(begin)),
        y: trials.map(([, , middle]) => middle),
        line: { color: colour('--rule'), width: 1 },
        marker: { size: 3, color: colour('--slate') },
        hovertemplate: `%{y:.${point.decimals}f} ${plain(point.unit)}, a trial<extra></extra>`,
      },
      {
        ...{ type: 'scatter', mode: 'lines', x: band.x, y: band.y, fill: 'toself', fillcolor: colour('--env') },
        ...{ line: { width: 0.5, color: colour('--env') }, hoverinfo: 'skip', showlegend: false },
      },
      {
        ...{
          type: 'scatter',
          mode: x.length < FEW ? 'lines+markers' : 'lines',
          name: plain(point.label),
          x,
          y: mean,
          marker: { size: 4 },
          line: { color: colour('--spruce'), width: 1.6 },
        },
        hovertemplate: `%{y:.${point.decimals}f} ${plain(point.unit)}<br>%{x|%a %d %b %H:%M}<extra></extra>`,
      },
      {
        ...{ type: 'scatter', mode: 'markers', name: 'suspect', showlegend: false },
        x: suspects.map(([begin]) => at(begin + width / 2)),
        y: suspects.map(([, , , top]) => top),
        marker: { symbol: 'triangle-down-open', size: 9, color: colour('--slate') },
        hovertemplate: 'suspect among these<extra></extra>',
      },
      ...others,
    ] as Data[];
  }

  /** Limits are said at their lines. */
  private limitWords(colour: (name: string) => string): NonNullable<Layout['annotations']> {
    const { point } = this.record();
    return this.limits().map(({ side, setpoint, severity }) => ({
      ...({ xref: 'paper', x: 0.005, xanchor: 'left', yref: 'y', y: setpoint, showarrow: false } as const),
      ...{ yanchor: side === 'high' ? ('bottom' as const) : ('top' as const), font: { size: 11, color: colour('--ink-2') } },
      text: `${severity} ${formatNumber(setpoint, point.decimals)}`,
    }));
  }

  private listen(element: PlotlyHTMLElement, offset: (ms: number) => number): void {
    if (this.listening) return;
    this.listening = true;
    element.on('plotly_relayout', (change) => {
      const [from, to] = [change['xaxis.range[0]'], change['xaxis.range[1]']];
      if (from === undefined || to === undefined) return;
      // What the chart shows is the site's clock; its offset is looked up at nearly that time.
      const back = (shown: unknown): number => {
        const ms = Date.parse(`${String(shown).replace(' ', 'T')}Z`);
        return Math.round(ms - offset(ms));
      };
      this.ranged.emit({ from: back(from), to: back(to) });
    });
  }
}
