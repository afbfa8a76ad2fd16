import type { Formula, Pairs } from '@dewpost/core/derive';
import { formatNumber } from '@dewpost/core/quantity';
import { typedNumber } from '../../parts/typed-number';

/** The rows of a table as they are typed: two figures a line; `null`: a line is something else. Empty lines are none. */
export function pairsIn(text: string): [number, number][] | null {
  const rows: [number, number][] = [];
  for (const line of text.split('\n')) {
    const cells = line.trim().split(/[\s;]+/);
    if (cells.length === 1 && cells[0] === '') continue;
    const [from, to] = cells.map(typedNumber);
    if (cells.length !== 2 || from === null || from === undefined || to === null || to === undefined) return null;
    rows.push([from, to]);
  }
  return rows;
}

/** What a tank holds when it is full, and what a centimetre is worth halfway up; `null`: that cannot be said of it. */
export function tankWords(formula: Formula, figures: Readonly<Record<string, number>>, pairs: Pairs): string | null {
  // Only what is told from a level is a tank: a share of full and what plants can take are water as well.
  if (formula.inputs[0]?.unit !== 'cm') return null;
  const parameters = { ...Object.fromEntries(formula.parameters.map(({ name, usual }) => [name, usual])), ...figures };
  const litres = (centimetres: number): number | null =>
    formula.compute({ values: [centimetres], window: [], before: null, begins: 0, parameters, pairs });
  const full = pairs.at(-1)?.[0] ?? (formula.id === 'tank-lying' || formula.id === 'tank-sphere' ? parameters['diameter'] : undefined);
  // A box or a standing cylinder goes on upwards: at a metre it is seen what a centimetre is worth.
  const top = full ?? 100;
  const [whole, above, below] = [litres(top), litres(top / 2 + 0.5), litres(top / 2 - 0.5)];
  if (whole === null || above === null || below === null) return null;
  const perCentimetre = `a centimetre halfway up is ${formatNumber(above - below, 1)} l`;
  return `${full === undefined ? 'At 100 cm' : `Full, at ${formatNumber(top, 0)} cm,`} it holds ${formatNumber(whole, 0)} l; ${perCentimetre}.`;
}
