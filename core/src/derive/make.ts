import type { Formula, FormulaInput, FormulaParameter, Given } from './formula';

export const TEMPERATURE: FormulaInput = { name: 'temperature', label: 'Air temperature', unit: '°C' };
export const HUMIDITY: FormulaInput = { name: 'humidity', label: 'Humidity', unit: '%' };
export const SURFACE: FormulaInput = { name: 'surface', label: 'Temperature of the surface', unit: '°C' };
export const PRESSURE: FormulaInput = { name: 'pressure', label: 'Air pressure', unit: 'hPa' };
export const LEVEL: FormulaInput = { name: 'level', label: 'Level above the bottom', unit: 'cm' };
export const ANY: FormulaInput = { name: 'value', label: 'Point', unit: null };

export const parameter = (name: string, label: string, unit: string, usual: number, min: number, max: number): FormulaParameter => ({
  ...{ name, label, unit, usual, min, max },
});
export const GAP = parameter('gap', 'No longer between two readings than', 'min', 30, 1, 1440);
export const MINUTES = parameter('minutes', 'Over the last', 'min', 60, 1, 10_080);
export const gapOf = ({ parameters }: Given): number => (parameters['gap'] ?? 30) * 60_000;
export const of = ({ parameters }: Given, name: string): number => parameters[name] ?? NaN;
export const at = ({ values }: Given, i: number): number => values[i] ?? NaN;

export const plain = { mostInputs: 0, parameters: [], window: { kind: 'none' } } as const;
type Plain = Omit<Formula, keyof typeof plain> & Partial<Formula>;
/** A formula whose inputs are just those named, unless it says otherwise. */
export const formula = (given: Plain): Formula => ({ ...plain, ...given, mostInputs: given.mostInputs ?? given.inputs.length });
