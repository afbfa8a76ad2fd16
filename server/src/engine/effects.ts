import type { Alert, Severity } from '@dewpost/contract';
import type { Telling } from '@dewpost/core/alarm';
import type { CommandReason } from '@dewpost/core/wire';
import type { NodeEntry, PointEntry, ThresholdEntry } from '../model/entries';

export interface NewAlert {
  /** One open alert a key: `t{threshold}`, or `{kind} {node} {point}`. */
  key: string;
  kind: Alert['kind'];
  node: NodeEntry;
  point: PointEntry | null;
  threshold: ThresholdEntry | null;
  severity: Severity;
  title: string;
  text: string;
  trippedAt: number;
  value: number | null;
  earlier: boolean;
  /** Ordinary switching: a line in the journal, and no message. */
  journal?: boolean;
  /** Of a trip test: told like an alert, kept like ordinary switching. */
  test?: boolean;
}

/** Who asks for an output: a hand, a threshold, its timetable, or somebody who proves it in place and may move what is not armed yet. */
export type DemandSource = 'hand' | 'threshold' | 'timetable' | 'fit';

export interface Demand {
  id: number;
  output: PointEntry;
  source: DemandSource;
  threshold: number | null;
  startedAt: number;
  endsAt: number | null;
  by: string;
  reason: string;
}

/** What the engine has decided; recorded in the transaction that stores what it was decided on. */
export type Effect =
  | { kind: 'open-alert'; alert: NewAlert }
  | { kind: 'close-alert'; key: string; at: number; why: string }
  /** Its condition went, and it is latched: it stands until somebody resets it. */
  | { kind: 'latch-alert'; key: string; at: number }
  | { kind: 'start-demand'; demand: Omit<Demand, 'id'> }
  /** Whoever asked for it. */
  | { kind: 'end-demands'; output: PointEntry; at: number; why: string }
  | { kind: 'end-demand'; output: PointEntry; source: DemandSource; threshold: number | null; at: number; why: string }
  /** Somebody is told of an open alert: at first, again, or since nobody has acknowledged it. */
  /** `joined`: with all others that were held back in a flood, as one message. */
  | { kind: 'tell'; key: string; alert: Alert; telling: Telling; joined: boolean }
  /** Somebody wants to hear of it. */
  | {
      kind: 'notice';
      threshold: ThresholdEntry;
      edge: 'trip' | 'clear';
      title: string;
      at: number;
      value: number;
      earlier: boolean;
      test: boolean;
    }
  | { kind: 'command'; output: PointEntry; on: boolean; reason: CommandReason; at: number };

export const thresholdKey = (id: number): string => `t${id}`;
export const nodeKey = (kind: Alert['kind'], node: NodeEntry, point: PointEntry | null): string => `${kind} ${node.id} ${point?.id ?? 0}`;
