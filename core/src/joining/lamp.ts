/** What a lamp shows: dark and light spans in ms, repeated. */
export interface LampPattern {
  readonly state: LampState;
  readonly name: string;
  readonly meaning: string;
  /** Light, dark, light, dark… ms; one light span alone: steady. */
  readonly spans: readonly number[];
}
export type LampState = 'writing' | 'searching' | 'set-up' | 'joined' | 'stopped' | 'found';

/**
 * What the lamp of a board says with firmware that follows this legend: docs/node-protocol.md asks for it. Patterns differ by
 * rhythm alone, so that one colour is enough.
 */
export const LAMP_LEGEND: readonly LampPattern[] = [
  { state: 'writing', name: 'flicker', meaning: 'being written: leave cable and supply alone', spans: [60, 60] },
  { state: 'searching', name: 'one blink a second', meaning: 'looking for its network', spans: [500, 500] },
  { state: 'set-up', name: 'two short, one pause', meaning: 'its set-up network is open', spans: [120, 160, 120, 900] },
  { state: 'joined', name: 'a wink every five seconds', meaning: 'joined, broker reached', spans: [60, 4940] },
  { state: 'stopped', name: 'three short, one pause', meaning: 'stopped: its serial log says why', spans: [120, 160, 120, 160, 120, 1300] },
  { state: 'found', name: 'steady', meaning: 'here I am: blinked from Dew Post', spans: [1000] },
];
