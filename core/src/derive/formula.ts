/** A reading of an input: `at` in ms. */
export interface Sample {
  readonly at: number;
  readonly value: number;
}

/** An input of a formula. */
export interface FormulaInput {
  readonly name: string;
  readonly label: string;
  /** The unit that the formula wants; `null`: any, but the same for all of them. */
  readonly unit: string | null;
}

/** A figure that a formula is set with. */
export interface FormulaParameter {
  readonly name: string;
  readonly label: string;
  readonly unit: string;
  readonly usual: number;
  readonly min: number;
  readonly max: number;
}

/** What a formula is given: values of its inputs at one time, and what its first input did in the window up to then, that reading the last. */
export interface Given {
  readonly values: readonly number[];
  readonly window: readonly Sample[];
  /** The first input's last reading before the window; `null`: there is none. */
  readonly before: Sample | null;
  /** When the window begins, ms. */
  readonly begins: number;
  readonly parameters: Readonly<Record<string, number>>;
  /** A table that it follows, rising in both, where it wants one. */
  readonly pairs: Pairs;
}

/** Rows of a table, from and to. */
export type Pairs = readonly (readonly [from: number, to: number])[];

/** How a point is computed from others. */
export interface Formula {
  readonly id: string;
  readonly title: string;
  readonly group: 'air' | 'pressure' | 'water' | 'power' | 'counts and contacts' | 'any figures';
  readonly inputs: readonly FormulaInput[];
  /** May the last input come more than once, up to so many in all? */
  readonly mostInputs: number;
  readonly parameters: readonly FormulaParameter[];
  /** Figures that go together, by a name: a soil by its texture. */
  readonly presets?: {
    readonly label: string;
    readonly choices: readonly { readonly name: string; readonly figures: Readonly<Record<string, number>> }[];
  };
  /** What the two columns of the table are called that it follows; left out: it follows none. */
  readonly pairs?: { readonly from: string; readonly to: string };
  /** How far it looks back: not at all, so many seconds (or a parameter's minutes), or since the site's midnight. */
  readonly window:
    | { readonly kind: 'none' }
    | { readonly kind: 'seconds'; readonly seconds: number }
    | { readonly kind: 'minutes'; readonly parameter: string }
    | { readonly kind: 'day' };
  /** The unit of the result, by the unit of the first input. */
  unit(first: string): string;
  readonly decimals: number;
  /** What it is shown over; or over what its inputs are, which a sum adds up. */
  readonly range: readonly [number, number] | 'of its inputs';
  /** In words, with its published source. */
  readonly source: string;
  /** The result; `null`: there is none for this. */
  compute(given: Given): number | null;
}
