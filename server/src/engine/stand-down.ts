import { readBefore, INITIAL_RULE_STATE, switchedBy } from '@dewpost/core/alarm';
import type { NodeEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Draft } from './draft';
import { thresholdKey, type Effect } from './effects';

/** Everything that a node's outputs were asked for is over. */
export const standDownNode = (draft: Draft, node: NodeEntry, at: number, why: string): Effect[] =>
  [...node.points.values()].flatMap((output) =>
    (draft.demands.get(output.id) ?? []).map(({ source, threshold }): Effect => ({
      kind: 'end-demand',
      output,
      source,
      threshold,
      at,
      why,
    })),
  );

/**
 * These rules start from normal: their alerts are closed, and what they asked of outputs is over. `countedUntil`: they judge the same as before, so
 * what they have read stays known, and counts up to that time (ms); `null`: they know nothing any more.
 */
export function standDownRules(
  draft: Draft,
  registry: Registry,
  ids: readonly number[],
  { at, why, countedUntil }: { readonly at: number; readonly why: string; readonly countedUntil: number | null },
): Effect[] {
  return ids.flatMap((id): Effect[] => {
    const { memory } = draft.threshold(id);
    draft.setThreshold(id, { ...INITIAL_RULE_STATE, ...(memory && countedUntil !== null && { memory: readBefore(memory, countedUntil) }) });
    const rule = registry.thresholds.get(id)?.rule;
    const ended = (rule ? switchedBy(rule) : []).flatMap(({ output: switched }): Effect[] => {
      const output = registry.points.get(switched);
      return output ? [{ kind: 'end-demand', output, source: 'threshold', threshold: id, at, why }] : [];
    });
    return [{ kind: 'close-alert', key: thresholdKey(id), at, why }, ...ended];
  });
}
