import {
  inAlarm,
  noticeOf,
  stepRule,
  switchedBy,
  type Quality,
  type ReadingOf,
  type ThresholdEvent,
  type Transition,
} from '@dewpost/core/alarm';
import { formatNumber } from '@dewpost/core/quantity';
import { inOwnWords, type WordSources } from './own-words';
import { textOf, titleOf } from './rule-words';
import { tooLateAfterMs } from '../model/periods';
import type { NodeEntry, PointEntry, ThresholdEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Draft } from './draft';
import { thresholdKey, type Effect } from './effects';

/** A reading as the engine takes it, after it has been stored. */
export interface EngineReading {
  point: PointEntry;
  at: number;
  value: number;
  quality: Quality;
  arrivedAt: number;
}

/**
 * Runs readings through the thresholds of their points, in order. Thresholds of a node that has not been proved, by its
 * readings (`proved`: just now, by these) and in place, stay unarmed. An exception at one threshold is given to `onFault` and never stops the others.
 * While nobody listened (before `listeningSince`, ms) nobody was silent.
 */
export function evaluateReadings(
  registry: Registry,
  draft: Draft,
  readings: readonly EngineReading[],
  { proved, listeningSince }: { readonly proved: ReadonlySet<NodeEntry>; readonly listeningSince: number },
  onFault: (threshold: ThresholdEntry, error: unknown) => void,
): Effect[] {
  const effects: Effect[] = [];
  const armed = (point: PointEntry): boolean => registry.armedAt(point, proved.has(point.node));
  for (const reading of readings) {
    const own = (registry.thresholdsByPoint.get(reading.point.id) ?? []).map((threshold) => ({ threshold, of: 'own' as const }));
    for (const { threshold, of } of [...own, ...(registry.thresholdsBeside.get(reading.point.id) ?? [])]) {
      if (!armed(threshold.point) || (of !== 'own' && !armed(reading.point))) continue;
      const event: ThresholdEvent = {
        kind: 'reading',
        at: reading.at,
        value: reading.value,
        quality: reading.quality,
        arrivedAt: reading.arrivedAt,
      };
      try {
        effects.push(...evaluateOne(registry, armed, draft, threshold, { event, of, now: reading.arrivedAt, listeningSince }));
      } catch (error) {
        onFault(threshold, error);
      }
    }
  }
  return effects;
}

/** Lets time pass at thresholds that finish their delays by time alone; `watermark` runs behind the clock. Faults and `listeningSince` as in `evaluateReadings`. */
export function evaluateTick(
  registry: Registry,
  draft: Draft,
  watermark: number,
  { now, listeningSince }: { readonly now: number; readonly listeningSince: number },
  onFault: (threshold: ThresholdEntry, error: unknown) => void,
): Effect[] {
  const armed = (point: PointEntry): boolean => registry.armedAt(point);
  return [...registry.thresholds.values()].flatMap((threshold) => {
    const { hours, unless } = threshold.rule;
    if ((threshold.engineRule.confirm !== 'hold' && !hours && !unless) || !armed(threshold.point)) return [];
    try {
      return evaluateOne(registry, armed, draft, threshold, { event: { kind: 'tick', at: watermark }, of: 'own', now, listeningSince });
    } catch (error) {
      onFault(threshold, error);
      return [];
    }
  });
}

/** What a rule is to be judged by now. */
interface Judgement {
  readonly event: ThresholdEvent;
  readonly of: ReadingOf;
  readonly now: number;
  readonly listeningSince: number;
}
type IsArmed = (point: PointEntry) => boolean;

function evaluateOne(
  registry: Registry,
  armed: IsArmed,
  draft: Draft,
  threshold: ThresholdEntry,
  { event, of, now, listeningSince }: Judgement,
): Effect[] {
  const before = draft.threshold(threshold.id);
  const testing = registry.testing(threshold.id);
  // A test is judged at any hour, whatever else stands.
  const suppressed = !testing && isSuppressed(registry, armed, draft, threshold);
  const step = stepRule(testing?.rule ?? threshold.engineRule, before, event, suppressed, of, listeningSince);
  if (step.state !== before) draft.setThreshold(threshold.id, step.state);
  const sources = { registry, newest: (point: number) => draft.newest.get(point) };
  return step.transitions.flatMap((transition) => effectsOf(sources, armed, threshold, transition, now));
}

/**
 * Does another rule keep this one from being judged? Only one that is in force and acts, whose node is heard, and that stands by itself: what a
 * dead contact said last, or a trip test, silences nobody.
 */
function isSuppressed(registry: Registry, armed: IsArmed, draft: Draft, { rule: { unless } }: ThresholdEntry): boolean {
  const other = typeof unless === 'number' ? registry.thresholds.get(unless) : undefined;
  if (!other || registry.testing(other.id) !== null || other.point.node.silent || !armed(other.point)) return false;
  return standsInAlarm(draft, other.id);
}

function effectsOf(sources: WordSources, armed: IsArmed, threshold: ThresholdEntry, transition: Transition, now: number): Effect[] {
  const { registry } = sources;
  const key = thresholdKey(threshold.id);
  const { consequences, act } = threshold.rule;
  const earlier = now - transition.at > tooLateAfterMs(threshold.point.node);
  const testing = registry.testing(threshold.id);
  const output = threshold.rule.output === null ? undefined : registry.points.get(threshold.rule.output);
  const told = consequences.includes('notice') ? noticeOfEdge(threshold, transition, earlier, sources) : [];
  if (transition.kind === 'clear') {
    const why = transition.why === undefined ? 'cleared' : asleepWords(registry, threshold, transition.why);
    const ended = inOrder(registry, threshold).map(({ output: switched }): Effect => ({
      ...{ kind: 'end-demand', output: switched, source: 'threshold', threshold: threshold.id, at: transition.at, why },
    }));
    // ANSI/ISA-18.2: a latched alert stands until it is reset. A test leaves nothing behind.
    const over: Effect =
      threshold.rule.latching && testing === null
        ? { kind: 'latch-alert', key, at: transition.at }
        : { kind: 'close-alert', key, at: transition.at, why };
    return [over, ...ended, ...(transition.why === undefined ? told : [])];
  }
  const alerts = consequences.includes('alert');
  // Control alone leaves a line in what happened; a notice alone leaves itself.
  const opened: Effect[] =
    alerts || consequences.includes('control')
      ? [
          {
            kind: 'open-alert',
            alert: {
              key,
              kind: 'threshold',
              node: threshold.point.node,
              point: threshold.point,
              threshold,
              severity: threshold.rule.severity,
              title: testing ? testTitle(titleOf(threshold)) : titleOf(threshold),
              text: testing
                ? testText(testing.by, threshold, transition.value)
                : alertText(threshold, transition.at, transition.value, sources),
              trippedAt: transition.at,
              value: transition.value,
              earlier,
              // Nobody has to act on a test, and it counts nowhere.
              journal: !alerts || testing !== null,
              test: testing !== null && alerts,
            },
          },
        ]
      : [];
  // An output that was not operated and seen in place switches nothing.
  if (!output || !consequences.includes('control') || earlier || !armed(output)) return [...opened, ...told];
  return [
    ...opened,
    ...(act === 'off'
      ? switchedOff(output, threshold, transition)
      : inOrder(registry, threshold)
          .filter((each) => armed(each.output))
          .map((each) => demandOf(each, threshold, transition, testing !== null))),
    ...told,
  ];
}

/** What its alert says: in words of its own, or in the usual ones. */
export function alertText(threshold: ThresholdEntry, at: number, value: number, sources: WordSources): string {
  const own = threshold.rule.words?.alert ?? null;
  return own === null ? textOf(threshold, value) : inOwnWords(own, threshold, at, value, sources);
}

/** Why an alert is over that nothing has cleared. */
function asleepWords(registry: Registry, { rule }: ThresholdEntry, why: 'hours' | 'suppressed'): string {
  const other = typeof rule.unless === 'number' ? registry.thresholds.get(rule.unless) : undefined;
  return why === 'hours' || !other ? 'its hours are over' : `suppressed: ${titleOf(other)} stands`.slice(0, 200);
}

/** What a rule switches on, in order. */
function inOrder(registry: Registry, { rule }: ThresholdEntry): { output: PointEntry; afterMs: number }[] {
  if (rule.act === 'off') return [];
  return switchedBy(rule).flatMap(({ output, afterSeconds }) => {
    const point = registry.points.get(output);
    return point ? [{ output: point, afterMs: afterSeconds * 1000 }] : [];
  });
}

const demandOf = (
  { output, afterMs }: { output: PointEntry; afterMs: number },
  threshold: ThresholdEntry,
  transition: Transition,
  test: boolean,
): Effect => ({
  kind: 'start-demand',
  demand: {
    output,
    source: 'threshold',
    threshold: threshold.id,
    // What comes later in the order waits.
    startedAt: transition.at + afterMs,
    endsAt: null,
    by: test ? testTitle(titleOf(threshold)) : titleOf(threshold),
    reason: textOf(threshold, transition.value),
  },
});

/** Off, whoever asked for it: by hand as by other rules. */
const switchedOff = (output: PointEntry, threshold: ThresholdEntry, transition: Transition): Effect[] => [
  { kind: 'end-demands', output, at: transition.at, why: `switched off: ${titleOf(threshold)}` },
  { kind: 'command', output, on: false, reason: 'threshold', at: transition.at },
];

function noticeOfEdge(threshold: ThresholdEntry, { kind: edge, at, value }: Transition, earlier: boolean, sources: WordSources): Effect[] {
  const test = sources.registry.testing(threshold.id) !== null;
  const { told, words } = noticeOf(threshold.rule.words, edge);
  if (!told) return [];
  const title =
    words === null
      ? `${edge === 'trip' ? titleOf(threshold) : `${titleOf(threshold)}: over`}, ${threshold.point.node.title}`
      : inOwnWords(words, threshold, at, value, sources);
  return [{ kind: 'notice', threshold, edge, title: (test ? testTitle(title) : title).slice(0, 200), at, value, earlier, test }];
}

/** True while the alert of this threshold stands in the draft. */
export const standsInAlarm = (draft: Draft, threshold: number): boolean => inAlarm(draft.threshold(threshold));

/** Every message of a trip test says that it is one. */
export const testTitle = (title: string): string => `Test: ${title}`;

const testText = (by: string, { point }: ThresholdEntry, value: number): string =>
  `A trip test by ${by}: ${point.body.label} of ${point.node.title} reads ${formatNumber(value, point.body.decimals)} ${point.body.unit}. Nothing has to be done.`.replace(
    ' .',
    '.',
  );
