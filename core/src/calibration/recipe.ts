import type { Capture } from './capture';
import type { CalibrationMethod, Fitted } from './fit';
import type { Law } from './laws';

/** A figure that is asked for beside a capture. */
export interface RecipeFigure {
  readonly name: string;
  readonly label: string;
  readonly unit: string;
  readonly usual: number | null;
  readonly min: number;
  readonly max: number;
  /** It is told as the node sends it, not in a unit of its own. */
  readonly inRaw?: boolean;
}

/** One capture of a recipe: what to do, and what the reference is then. */
export interface RecipeStep {
  readonly title: string;
  readonly hand: string;
  /** What is asked for; the reference follows from it. Nothing: it is known. */
  readonly figures: readonly RecipeFigure[];
  /** The reference in the point's unit; `null`: the figures cannot be. */
  reference(figures: Readonly<Record<string, number>>): number | null;
  /** A counter that runs on: its value before is taken off the one after. */
  readonly counts?: boolean;
}

/** What a point is, as far as ways to calibrate it hang on it. */
export interface CalibratedPoint {
  readonly unit: string;
  readonly name: string;
  /** What its node sends where that is another unit; `null`: its own. */
  readonly rawUnit: string | null;
}

/** A way to calibrate what is measured, step by step, as people of that trade do it. */
export interface Recipe {
  readonly id: string;
  readonly title: string;
  readonly method: CalibrationMethod;
  /** Is it for points of this unit and name? */
  fits(point: CalibratedPoint): boolean;
  /** A danger of it, said once. */
  readonly caution: string | null;
  /** Standard uncertainty of the reference, in the point's unit; 0: the person's own. */
  readonly reference: number;
  readonly steps: readonly RecipeStep[];
  /** The law that it follows, with what is asked for it before the first capture. */
  readonly law?: {
    readonly figures: readonly RecipeFigure[];
    of(figures: Readonly<Record<string, number>>): Law | null;
  };
  /** May its captures be left out? What the law says of the part stands then. */
  readonly trims?: boolean;
  /** What the result tells beside itself, in words; `null`: nothing. */
  remark?(captures: readonly Capture[], fitted: Fitted): string | null;
}

export const figure = (name: string, label: string, unit: string, usual: number | null, min: number, max: number): RecipeFigure => ({
  name,
  label,
  unit,
  usual,
  min,
  max,
});
export const shows = (label: string, unit: string, min: number, max: number): Pick<RecipeStep, 'figures' | 'reference'> => ({
  figures: [figure('shows', label, unit, null, min, max)],
  reference: (given) => given['shows'] ?? null,
});
export const known = (value: number): Pick<RecipeStep, 'figures' | 'reference'> => ({ figures: [], reference: () => value });
/** Points of these units whose name says what they are. */
export const called =
  (pattern: RegExp, ...units: readonly string[]) =>
  ({ unit, name }: CalibratedPoint): boolean =>
    units.includes(unit) && pattern.test(name);
