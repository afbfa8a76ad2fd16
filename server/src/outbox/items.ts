import type { DoMessage, HandsetMessage } from '@dewpost/core/wire';

/** One thing to be sent, as it lies in the outbox. Settings are made when they are sent: a node is told what holds then. */
export type OutboxItem =
  | { id: number; kind: 'command'; body: { node: string; command: DoMessage }; attempts: number }
  | { id: number; kind: 'settings'; body: { node: string }; attempts: number }
  | { id: number; kind: 'message'; body: HandsetMessage; attempts: number }
  | { id: number; kind: 'way'; body: { way: number; message: HandsetMessage }; attempts: number };
