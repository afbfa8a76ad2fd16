/**
 * Acknowledgement states by the letters of ANSI/ISA-18.2: A normal, B unacknowledged, C acknowledged,
 * D returned to normal unacknowledged, E latched unacknowledged, F latched acknowledged.
 */
export type AcknowledgementState = 'A' | 'B' | 'C' | 'D' | 'E' | 'F';
export type AcknowledgementEvent = 'alarm' | 'ack' | 'rtn' | 'reset';

type Row = Partial<Record<AcknowledgementEvent, AcknowledgementState>>;

const PLAIN: Record<AcknowledgementState, Row> = {
  A: { alarm: 'B' },
  B: { ack: 'C', rtn: 'D' },
  C: { rtn: 'A' },
  D: { ack: 'A', alarm: 'B' },
  E: {},
  F: {},
};

const LATCHING: Record<AcknowledgementState, Row> = {
  A: { alarm: 'B' },
  B: { ack: 'C', rtn: 'E' },
  C: { rtn: 'F' },
  D: {},
  E: { ack: 'F', alarm: 'B' },
  F: { alarm: 'B', reset: 'A' },
};

/** The state after `event`; an event that means nothing in a state leaves it (a reset before the acknowledgement, say). */
export function stepAcknowledgement(latching: boolean, state: AcknowledgementState, event: AcknowledgementEvent): AcknowledgementState {
  return (latching ? LATCHING : PLAIN)[state][event] ?? state;
}
