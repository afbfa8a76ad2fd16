export { computeAt, inputsProblem, pairsProblem, shownOver, windowBegin, type Moment } from './align';
export { FORMULAS, formulaNamed } from './formulas';
export type { Pairs, Formula, FormulaInput, FormulaParameter, Sample } from './formula';
