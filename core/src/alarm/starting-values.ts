import { isTwoStates, type Confirm } from './threshold';

/** What of a point says which quantity it measures. */
export interface MeasuredBy {
  readonly name: string;
  readonly unit: string;
  readonly confirm: Confirm;
  readonly min: number;
  readonly max: number;
}

/** Where limits of a quantity are begun with: deadband as a share of the span, and the delay either way, s. */
export interface StartingValues {
  readonly of: 'flow' | 'level' | 'pressure' | 'temperature';
  readonly deadbandShare: number;
  readonly delaySeconds: number;
}

/**
 * Recommended starting points of EEMUA 191 and ANSI/ISA-18.2 for process signals. The number of the table, and whether delays on and off are told
 * apart, differ between editions.
 */
const STARTING_VALUES: readonly (StartingValues & { readonly units: RegExp; readonly names?: RegExp })[] = [
  { of: 'temperature', deadbandShare: 0.01, delaySeconds: 60, units: /^(°C|°F|K)$/ },
  { of: 'pressure', deadbandShare: 0.02, delaySeconds: 15, units: /^(Pa|hPa|kPa|bar|mbar)$/ },
  { of: 'flow', deadbandShare: 0.05, delaySeconds: 15, units: /^(L|l|m³|m3)\/(s|min|h)$/ },
  { of: 'level', deadbandShare: 0.05, delaySeconds: 60, units: /^(mm|cm|m|%)$/, names: /level|tank|depth/ },
];

/** The published starting values for what a point measures; `null`: there are none for it. */
export function startingValues({ name, unit }: Pick<MeasuredBy, 'name' | 'unit'>): StartingValues | null {
  return STARTING_VALUES.find(({ units, names }) => units.test(unit) && (names === undefined || names.test(name))) ?? null;
}

/** What runs short, dries out or fades: too little of it is what somebody wants to hear of. Common practice in a house. */
const RUNS_SHORT = /soil|moisture|humidity|battery|supply|tank|signal|charge/;

/** The side on which a limit of this point usually lies: where nobody has said, it is begun with. */
export function usualSide(point: MeasuredBy): 'high' | 'low' {
  if (isTwoStates(point.confirm, point)) return 'high';
  return RUNS_SHORT.test(point.name) || point.unit === 'V' ? 'low' : 'high';
}
