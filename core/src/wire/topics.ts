import { nodeIdSchema } from './node-id';

/** What a node may publish. */
export const UPWARD = ['up', 'hello', 'log', 'have', 'done', 'fit', 'gone'] as const;
/** What a node may subscribe to. */
export const DOWNWARD = ['set', 'do', 'refused'] as const;

export type Upward = (typeof UPWARD)[number];
export type Downward = (typeof DOWNWARD)[number];

/** The topic of one channel of one node, protocol version 1: `dp/1/{node}/{channel}`. */
export const topicOf = (node: string, channel: Upward | Downward): string => `dp/1/${node}/${channel}`;

/** The node and channel of a topic a node may publish to, or `null` for any other topic. */
export function parseUpwardTopic(topic: string): { node: string; channel: Upward } | null {
  const [root, version, node, channel, ...rest] = topic.split('/');
  if (root !== 'dp' || version !== '1' || rest.length > 0 || !nodeIdSchema.safeParse(node).success) return null;
  const found = UPWARD.find((name) => name === channel);
  return found && node ? { node, channel: found } : null;
}

/** May this node publish here? Exactly its own upward channels. */
export function mayPublish(node: string, topic: string): boolean {
  return parseUpwardTopic(topic)?.node === node;
}

/** What a gateway may publish for a leaf that is listed under it. */
export const FOR_LEAVES: readonly Upward[] = ['up', 'hello', 'log'];

/** May this node subscribe to this filter? Exactly its own downward channels; no wildcards, nothing of the broker's own. */
export function maySubscribe(node: string, filter: string): boolean {
  return DOWNWARD.some((channel) => filter === topicOf(node, channel));
}

/** Is this a client id the node may use: its own id, or one that begins with it and a full stop? */
export function clientIdBelongsTo(node: string, clientId: string): boolean {
  return clientId === node || clientId.startsWith(`${node}.`);
}
