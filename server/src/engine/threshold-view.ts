import type { Threshold } from '@dewpost/contract';
import { proofDueAt } from '@dewpost/core/proof';
import type { ThresholdEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { EngineState } from './draft';

/** A rule as pages see it: what it says, where it stands, and when it is to be proved again. */
export function thresholdView(state: EngineState, registry: Registry, entry: ThresholdEntry): Threshold {
  return {
    id: entry.id,
    point: entry.point.id,
    version: entry.version,
    ...entry.rule,
    words: entry.rule.words ? { ...entry.rule.words, alert: entry.rule.words.alert ?? null } : null,
    expects: entry.rule.expects ?? null,
    hours: entry.rule.hours ?? null,
    unless: entry.rule.unless ?? null,
    judges: entry.rule.judges ?? { kind: 'value' },
    also: entry.rule.also ?? null,
    then: entry.rule.then ?? [],
    proportional: entry.rule.proportional ?? null,
    latching: entry.rule.latching ?? false,
    phase: state.thresholds.get(entry.id)?.phase ?? 'normal',
    proofDueAt: proofDueAt(entry.rule.severity, registry.provedAt.get(entry.id) ?? null),
  };
}
