import type { Change } from '../store/change';
import { nodeView } from './views';
import type { NodeEntry } from './entries';
import type { Hub } from '../events/hub';

/** Work on one node's row is one lane: what is decided from it in memory is still so when it is written. */
export const laneOf = (node: NodeEntry): string => `node ${node.id}`;

type Known = { -readonly [K in keyof NodeEntry]?: NodeEntry[K] };

/** Writes columns of a node's row, and what memory has of them once that is committed. */
export async function changeNode(change: Change, node: NodeEntry, columns: Readonly<Record<string, unknown>>, known: Known): Promise<void> {
  await change.trx('node').where({ id: node.id }).update(columns);
  change.apply(() => Object.assign(node, known));
}

/** Tells pages how a node is, after the commit. */
export const tellNode = (change: Change, hub: Hub, node: NodeEntry): void =>
  change.tell(() => hub.publish([{ type: 'node', node: nodeView(node) }]));
