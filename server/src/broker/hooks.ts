import type { Downward, Upward } from '@dewpost/core/wire';
import type { NodeEntry } from '../model/entries';

/** Who is behind a connection: a node of ours, one whose firmware stays as it is, or somebody who only listens. */
export type BrokerClient =
  | { readonly kind: 'node'; readonly name: string; readonly node: NodeEntry }
  | { readonly kind: 'adopted'; readonly name: string; readonly node: NodeEntry }
  | { readonly kind: 'reader'; readonly name: string };

/** What the broker asks of the rest of the house. */
export interface BrokerHooks {
  /** Who is behind a user name and key, or why nobody is. */
  authenticate(name: string, key: string): Promise<BrokerClient | string>;
  /** Does the server act towards this user name as if it were gone? */
  isDeafTo(name: string): boolean;
  /** Does this user name keep to our protocol, client id and all? The client ids of others are made apart, so that none takes over another's. */
  isOurs(name: string): boolean;
  /** May an adopted node publish, or listen, there? */
  mayUse(node: NodeEntry, topic: string): boolean;
  /** A message of an adopted node on a topic of its own; otherwise as `received`. */
  heard(node: NodeEntry, topic: string, payload: Buffer, retained: boolean): Promise<void>;
  /** May a reading account hear what is published there? */
  mayHear(account: string, topic: string): boolean;
  /** A message on one of a node's own channels; resolves when it is decided. Rejects: the connection is closed unacknowledged. */
  received(node: NodeEntry, channel: Upward, payload: Buffer): Promise<void>;
  /** A leaf that is listed under this gateway; `null`: it is not. */
  leafOf(gateway: NodeEntry, name: string): NodeEntry | null;
  connected(node: NodeEntry): void;
  /** The link is lost or was closed; not called for a session that a newer one took over, nor when we closed it ourselves. */
  gone(node: NodeEntry): void;
  /** Something was refused: a line for the node's log. */
  refused(node: NodeEntry, why: string): void;
}

export interface Broker {
  port: number;
  /** Publishes to one node's channel; false when the node is not connected (retained messages are kept all the same). */
  send(node: string, channel: Downward, payload: object, retain?: boolean): boolean;
  isConnected(node: string): boolean;
  /** Sessions that stand. */
  connections(): number;
  /** Ends a node's sessions: its key has changed, or it has been removed. */
  disconnect(node: string): void;
  /** Nodes that are connected, by the door they came in. */
  doors(): { plain: number; tls: number };
  /** Sessions of one account that stand. */
  sessionsOf(account: string): number;
  /** Publishes for reading accounts, kept for who comes later; `null`: takes away what was kept. */
  publishOut(topic: string, payload: object | null): void;
  /** The port of the door with TLS; `null`: there is none. */
  tlsPort: number | null;
  close(): Promise<void>;
}
