import type { Batch } from '@dewpost/contract';

/** How nodes are chosen at the bench: one by one, or all of a room, a build sheet or a batch at once. */
export const CHOOSE_BY = ['tick', 'room', 'sheet', 'batch'] as const;
export type ChooseBy = (typeof CHOOSE_BY)[number];

/** Nodes that are chosen together. */
export interface Chosen {
  readonly name: string;
  readonly nodes: readonly string[];
}

/**
 * The waiting nodes in groups, in the order of `waiting`. By batch: a node counts to the newest batch it was in; batches of which none
 * waits any more are left out, and so are nodes that were in none.
 */
export function groupsOf(
  waiting: readonly { readonly id: string; readonly room: string; readonly sheet: string }[],
  by: Exclude<ChooseBy, 'tick'>,
  batches: readonly Pick<Batch, 'id' | 'nodes'>[],
): Chosen[] {
  const newest = new Map<string, number>();
  for (const batch of batches) for (const { node } of batch.nodes) newest.set(node, Math.max(batch.id, newest.get(node) ?? 0));
  const groups = new Map<string, string[]>();
  for (const node of waiting) {
    const name = by === 'batch' ? (newest.has(node.id) ? `batch ${newest.get(node.id)}` : null) : node[by];
    if (name !== null) groups.set(name, [...(groups.get(name) ?? []), node.id]);
  }
  return [...groups].map(([name, nodes]) => ({ name, nodes }));
}
