export { computeAt, inputsProblem, shownOver, windowBegin, type Moment } from './align';
export { FORMULAS, formulaNamed } from './formulas';
export type { Formula, FormulaInput, FormulaParameter, Sample } from './formula';
