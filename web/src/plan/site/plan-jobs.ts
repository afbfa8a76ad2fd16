import {
  coverage,
  coverageGrid,
  fitModel,
  remediesFor,
  type AntennaGain,
  type CoverageGrid,
  type ModelFit,
  type RadioParts,
  type Remedy,
  type RemedyMeans,
  type UsualNode,
} from '@dewpost/core/radio';
import type { Sample, SitePlan } from '@dewpost/core/site-plan';
import { contours } from 'd3-contour';

/** Antennas and transmitters as plain values, since a worker takes no functions. */
export interface RadioFacts {
  readonly antennas: Readonly<Record<string, AntennaGain>>;
  readonly powers: Readonly<Record<string, number>>;
  readonly usualPowerDbm: number;
}

/** The facts as the arithmetic asks for them. An antenna that the catalogue does not know counts as none. */
export const partsOf = ({ antennas, powers, usualPowerDbm }: RadioFacts): RadioParts => ({
  antenna: (id) => antennas[id] ?? { gainDbi: 0, beamDegrees: 360 },
  nodePowerDbm: (node) => powers[node] ?? usualPowerDbm,
});

/** What could mend a link, as plain values. */
export interface RemedyFacts extends Omit<RemedyMeans, 'takesAntenna' | 'reachMetres'> {
  /** Nodes whose boards have a connector for an antenna. */
  readonly connectors: readonly string[];
  /** Metres of cable, by node. */
  readonly reach: Readonly<Record<string, number>>;
}

const meansOf = ({ connectors, reach, ...means }: RemedyFacts): RemedyMeans => ({
  ...means,
  takesAntenna: (node) => connectors.includes(node),
  reachMetres: (node) => reach[node] ?? 0,
});

/** What the worker is asked. */
export type PlanJob =
  | {
      readonly kind: 'coverage';
      readonly plan: Pick<SitePlan, 'materials' | 'model' | 'floors' | 'stations'>;
      readonly facts: RadioFacts;
      readonly floor: string;
      readonly area: { left: number; top: number; right: number; bottom: number };
      readonly cellMetres: number;
      readonly usual: UsualNode;
      readonly station: string | null;
    }
  | { readonly kind: 'remedies'; readonly plan: SitePlan; readonly facts: RadioFacts; readonly node: string; readonly means: RemedyFacts }
  | {
      readonly kind: 'fit';
      readonly plan: SitePlan;
      readonly facts: RadioFacts;
      readonly samples: readonly (Sample & { gainDbi: number })[];
    };

/** What it answers. */
export type PlanAnswer =
  | { readonly kind: 'coverage'; readonly grid: CoverageGrid; readonly margins: Float32Array; readonly lines: readonly MarginLine[] }
  | { readonly kind: 'remedies'; readonly remedies: readonly Remedy[] }
  | { readonly kind: 'fit'; readonly fit: ModelFit };

/** The area with at least `margin` dB, as an SVG path in metres. */
export interface MarginLine {
  readonly margin: number;
  readonly path: string;
}

const STEPS = [0, 10, 20];

/** Does a job; `tell` hears how far it is. Throws in words. */
export function runPlanJob(job: PlanJob, tell: (done: number) => void): PlanAnswer {
  const parts = partsOf(job.facts);
  if (job.kind === 'remedies') return { kind: 'remedies', remedies: remediesFor(job.plan, parts, job.node, meansOf(job.means)) };
  if (job.kind === 'fit') return { kind: 'fit', fit: fitModel(job.plan, parts, job.samples) };
  const grid = coverageGrid(job.floor, job.area, job.cellMetres);
  let told = 0;
  const margins = coverage(job.plan, parts, grid, job.usual, job.station, (done) => {
    if (done - told >= 0.1) tell((told = done));
    return true;
  });
  if (!margins) throw new Error('coverage was given up, and nobody asked for it');
  return { kind: 'coverage', grid, margins, lines: marginLines(grid, margins) };
}

/** The lines of 0, 10 and 20 dB. */
export function marginLines(grid: CoverageGrid, margins: Float32Array): MarginLine[] {
  // Values far below would drag the line towards them: what is short is short.
  const values = Array.from(margins, (margin) => Math.max(-30, margin));
  const shapes = contours().size([grid.columns, grid.rows]).thresholds(STEPS)(values);
  const metres = (cells: number, from: number): string => (from + cells * grid.cellMetres).toFixed(2);
  return shapes.map((shape) => ({
    margin: shape.value,
    path: shape.coordinates
      .flat()
      .map((ring) => `M${ring.map(([x = 0, y = 0]) => `${metres(x, grid.left)} ${metres(y, grid.top)}`).join('L')}Z`)
      .join(''),
  }));
}
