import {
  columnsOf,
  forRecord,
  isPlain,
  rehearsalFigures,
  rehearse,
  suggest,
  traitsOf,
  type Columns,
  type Excursion,
  type OtherColumns,
  type RehearsalFigures,
  type Sample,
  type Suggestions,
  type Traits,
  type ThresholdRule,
} from '@dewpost/core/alarm';
import { outputOver, type OutputOverRecord, type RehearsedOutput } from '@dewpost/core/control';

/** A point's record, loaded once and asked about many times. */
export interface RecordOfPoint {
  readonly samples: readonly Sample[];
  readonly from: number;
  readonly until: number;
  readonly decimals: number;
  readonly usualGapMs: number | null;
  /** Of other points that the rule needs. */
  readonly others: { readonly beside: readonly Sample[] | null; readonly also: readonly Sample[] | null };
}
/** The same as a worker has it, made once for all that is asked about it. */
export interface RecordAtHand extends Omit<RecordOfPoint, 'samples' | 'others'> {
  readonly columns: Columns;
  readonly traits: Traits;
  readonly others: OtherColumns;
}
export function takeRecord({ samples, others: { beside, also }, ...record }: RecordOfPoint): RecordAtHand {
  const columns = columnsOf(samples);
  const others = { ...(beside && { beside: columnsOf(beside) }), ...(also && { also: columnsOf(also) }) };
  return { ...record, columns, traits: traitsOf(columns), others };
}

const NO_SUGGESTIONS: Suggestions = { setpoint: null, deadband: null, onDelay: null };

export interface RehearsalJob {
  readonly side: 'high' | 'low';
  /** `null`: there is no setpoint yet, or no number that can be used. */
  readonly draft: ThresholdRule | null;
  readonly inForce: ThresholdRule | null;
  /** Others that were drawn before. */
  readonly variants: readonly ThresholdRule[];
  /** What the rule that is drawn switches on, and the one in force; `null`: nothing. */
  readonly output: RehearsedOutput | null;
  readonly outputInForce: RehearsedOutput | null;
}
export interface RehearsalAnswer {
  readonly draft: RehearsalFigures | null;
  readonly inForce: RehearsalFigures | null;
  readonly variants: readonly RehearsalFigures[];
  /** Where the draft would have tripped. */
  readonly excursions: readonly Excursion[];
  /** Where the rule in force would have; `null`: there is none. */
  readonly inForceExcursions: readonly Excursion[] | null;
  readonly suggestions: Suggestions;
  /** What the output of each would have done, within its guards; `null`: it has none. */
  readonly outputs: {
    readonly draft: OutputOverRecord | null;
    readonly inForce: OutputOverRecord | null;
    readonly variants: readonly (OutputOverRecord | null)[];
  };
}

/** What a rule would have done over a record, beside the rule that is in force. */
export function runRehearsal(
  { columns, traits, others, from, until, decimals, usualGapMs }: RecordAtHand,
  { side, draft: drawn, inForce: armed, variants: kept, output, outputInForce }: RehearsalJob,
): RehearsalAnswer {
  const draft = drawn && forRecord(drawn, usualGapMs);
  const inForce = armed && forRecord(armed, usualGapMs);
  const excursions = draft ? rehearse(draft, columns, until, others) : [];
  const inForceExcursions = inForce && rehearse(inForce, columns, until, others);
  const variants = kept.map((one) => {
    const rule = forRecord(one, usualGapMs);
    return { rule, excursions: rehearse(rule, columns, until, others) };
  });
  const did = (rule: ThresholdRule | null, wanted: readonly Excursion[] | null, by: RehearsedOutput | null): OutputOverRecord | null =>
    rule && wanted && by && outputOver(rule, wanted, columns, { from, until }, by);
  return {
    outputs: {
      draft: did(draft, excursions, output),
      inForce: did(inForce, inForceExcursions, outputInForce),
      variants: variants.map((one) => did(one.rule, one.excursions, output)),
    },
    inForceExcursions,
    draft: draft && rehearsalFigures(excursions, from, until),
    inForce: inForceExcursions && rehearsalFigures(inForceExcursions, from, until),
    excursions,
    variants: variants.map((one) => rehearsalFigures(one.excursions, from, until)),
    // What was made of readings has another noise than they have.
    suggestions: draft && !isPlain(draft) ? NO_SUGGESTIONS : suggest(side, draft, { columns, traits }, from, until, decimals),
  };
}
