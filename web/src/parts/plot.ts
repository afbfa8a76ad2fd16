import type * as Plotly from 'plotly.js-basic-dist-min';

export type PlotlyModule = typeof Plotly;
/** The drawing library, fetched when the first chart is shown. */
export const loadPlotly = (): Promise<PlotlyModule> =>
  import('plotly.js-basic-dist-min').then((module: PlotlyModule & { default?: PlotlyModule }) => module.default ?? module);

/** A colour of the theme as the drawing library wants it, from a probe inside the chart: custom properties come back unresolved. */
export function colourIn(element: HTMLElement, name: string): string {
  const probe = document.createElement('span');
  probe.style.color = `var(${name})`;
  element.append(probe);
  const { color } = getComputedStyle(probe);
  probe.remove();
  return color;
}

/** Words as the drawing library may be given them: it would read markup. */
export const plain = (words: string): string => words.replace(/[<>&]/g, ' ');

/** Colour of a limit by its severity. */
export const LIMIT_COLOUR = { advisory: '--ochre', warning: '--rust', critical: '--carmine' } as const;

/** A time (ms) as the drawing library shows it in the site's own clock; `offset` as `offsetsOf` gives it. */
export const shownAt = (at: number, offset: (ms: number) => number): string => new Date(at + offset(at)).toISOString().replace('Z', '');
