import { machineRule, takeReading, takeTime, type JudgedAt, type JudgedMemory, type ReadingOf } from './judged';
import {
  INITIAL_THRESHOLD_STATE,
  rejectionOf,
  stepThreshold,
  type Judged,
  type ThresholdEvent,
  type ThresholdRule,
  type ThresholdState,
  type ThresholdStep,
  type Transition,
} from './threshold';

/** Where a rule stands: the state machine, and what of the past it judges by. */
export interface RuleState extends ThresholdState {
  readonly memory?: JudgedMemory;
}
export interface RuleStep extends ThresholdStep {
  readonly state: RuleState;
}

export const INITIAL_RULE_STATE: RuleState = INITIAL_THRESHOLD_STATE;

/** Is it the value of one point that a rule judges, and nothing else? */
export const isPlain = ({ judges, also }: { readonly judges?: Judged; readonly also?: object | null }): boolean =>
  !also && (judges === undefined || judges.kind === 'value');

/** Does time alone bring something about at this rule? */
export const runsByTime = ({ judges }: Pick<ThresholdRule, 'judges'>): boolean => judges?.kind === 'silence' || judges?.kind === 'count';

/**
 * One event on one rule, whatever it judges: what a reading or the time makes of it goes through `stepThreshold`. `of` says which of its
 * points a reading is of. A reading that cannot be used leaves the state as it is. Before `listeningSince` (ms) nobody listened: nobody was
 * silent then.
 */
export function stepRule(
  rule: ThresholdRule,
  state: RuleState,
  event: ThresholdEvent,
  suppressed = false,
  of: ReadingOf = 'own',
  listeningSince = -Infinity,
): RuleStep {
  if (isPlain(rule)) return stepThreshold(rule, state, event, suppressed);
  const memory = state.memory ?? {};
  if (event.kind === 'tick') {
    const { memory: next, judged } = takeTime(rule, memory, event.at, listeningSince);
    return through(rule, state, next, judged, event, suppressed);
  }
  const last = memory[of]?.[0] ?? null;
  // A reading that was on its way while time went on is none of the past.
  const rejected = rejectionOf(rule, { lastAt: last, watermark: runsByTime(rule) ? null : state.watermark }, event);
  if (rejected) return { state, transitions: [], rejected };
  const { memory: next, judged } = takeReading(rule, memory, of, event, listeningSince);
  return through(rule, state, next, judged, event, suppressed);
}

function through(
  rule: ThresholdRule,
  before: RuleState,
  memory: JudgedMemory,
  judged: readonly JudgedAt[],
  event: ThresholdEvent,
  suppressed: boolean,
): RuleStep {
  const machine = machineRule(rule);
  let state: ThresholdState = before;
  const transitions: Transition[] = [];
  // People are told what was read, or made of it; not in what shape it was judged.
  const take = (one: ThresholdEvent, shown: number | undefined): void => {
    const step = stepThreshold(machine, state, one, suppressed);
    state = step.state;
    for (const transition of step.transitions) transitions.push(shown === undefined ? transition : { ...transition, value: shown });
  };
  // What time alone brings about is as it was known: what comes late comes after what is known already, and is not lost.
  const known = (at: number): number =>
    runsByTime(rule) ? Math.max(at, (state.watermark ?? -Infinity) + 1, (state.lastAt ?? -Infinity) + 1) : at;
  for (const { at, value, shown } of judged) take({ kind: 'reading', at: known(at), value, quality: 'good' }, shown);
  // Its delays, hours and suppression go on with the time.
  if (event.kind === 'tick') take(event, memory.shown);
  // A reading that decides nothing may end its hours all the same.
  else if (judged.length === 0 && (suppressed || rule.hours)) take({ ...event, quality: 'bad' }, memory.shown);
  return { state: { ...state, memory }, transitions };
}
