import { INITIAL_THRESHOLD_STATE, switchedBy } from '@dewpost/core/alarm';
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

/** These rules start from normal: their alerts are closed, and what they asked of outputs is over. */
export function standDownRules(draft: Draft, registry: Registry, ids: readonly number[], at: number, why: string): Effect[] {
  return ids.flatMap((id): Effect[] => {
    draft.setThreshold(id, INITIAL_THRESHOLD_STATE);
    const rule = registry.thresholds.get(id)?.rule;
    const ended = (rule ? switchedBy(rule) : []).flatMap(({ output: switched }): Effect[] => {
      const output = registry.points.get(switched);
      return output ? [{ kind: 'end-demand', output, source: 'threshold', threshold: id, at, why }] : [];
    });
    return [{ kind: 'close-alert', key: thresholdKey(id), at, why }, ...ended];
  });
}
