/** How long a node tries its networks, and what it does then. */
export interface JoinPatience {
  readonly seconds: number;
  /** An always-on node opens its set-up network; one that lives on a battery backs off. */
  readonly then: 'set-up' | 'back off';
}

/** Seconds a mains node tries before it opens its set-up network, a battery node before it sleeps; and how long the set-up stays open. */
export const MAINS_JOIN_SECONDS = 120;
export const BATTERY_JOIN_SECONDS = 10;
export const SETUP_OPEN_SECONDS = 600;
const FIRST_BACK_OFF_SECONDS = 60;
const LONGEST_BACK_OFF_SECONDS = 6 * 3600;

/**
 * What a node does, by whether it sleeps: trying for two minutes at every wake would empty a pack in days. `joinSeconds`: what its board
 * takes to join, s; a slow one gets twice that, or it would never join at all.
 */
export const joinPatience = (sleeps: boolean, joinSeconds = 0): JoinPatience =>
  sleeps
    ? { seconds: Math.max(BATTERY_JOIN_SECONDS, Math.ceil(2 * joinSeconds)), then: 'back off' }
    : { seconds: Math.max(MAINS_JOIN_SECONDS, Math.ceil(2 * joinSeconds)), then: 'set-up' };

/** Seconds a battery node sleeps after so many failed rounds (from 1): doubling from a minute, six hours at most. */
export const backOffSeconds = (rounds: number): number =>
  Math.min(LONGEST_BACK_OFF_SECONDS, FIRST_BACK_OFF_SECONDS * 2 ** Math.max(0, rounds - 1));

/** Name of the network that a node opens to be set up: at most 32 octets. */
export const setupNetworkOf = (node: string): string => `dew-${node}`.slice(0, 32);
