import type { DoneMessage, HandsetMessage, SaidMessage } from '@dewpost/core/wire';
import type { Events } from '../events/events';
import type { OutboxItem } from '../outbox/items';
import type { NodeEntry, PointEntry } from './entries';

/** What happens in the house that another room wants to hear of. */
export interface HouseEventKinds {
  /** Readings were committed. */
  readings: readonly { readonly point: PointEntry; readonly value: number; readonly at: number; readonly arrivedAt: number }[];
  /** Readings of points have changed from a time on (ms) without arriving: converted anew, taken in from a file, or taken away. */
  rewritten: { readonly points: readonly { readonly id: number }[]; readonly from: number };
  /** What time alone has brought about as of now (ms), were it nothing, is committed. */
  timePassed: number;
  /** A node has read an output back, and it is stored. */
  readBack: { readonly node: NodeEntry; readonly output: PointEntry; readonly done: DoneMessage };
  /** A node answers to what it was to say. */
  said: { readonly node: NodeEntry; readonly answer: SaidMessage };
  /** A message to a person has arrived, by whatever way. */
  delivered: HandsetMessage;
  /** A node has said hello, and it is stored. */
  hello: NodeEntry;
  /** A node has said that it runs on its backup battery, or on the mains again. */
  supply: { readonly node: NodeEntry; readonly onBackup: boolean };
  /** Somebody has seen these alerts, by their numbers. */
  acknowledged: readonly number[];
  /** Settings lie in the outbox for nodes: to be sent at once. */
  settings: readonly OutboxItem[];
  /** A node's keys are worthless from now on. */
  keyRevoked: NodeEntry;
  /** A node is retired, and memory knows it no more. */
  retired: NodeEntry;
  /** An account was removed, or somebody else has set its password. */
  accountEnded: string;
  /** A share link has ended. */
  shareRevoked: number;
}
export type HouseEvents = Events<HouseEventKinds>;
