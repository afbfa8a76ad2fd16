/** What a node that cannot join, or cannot reach its broker, says of itself: codes of the serial log. */
export const JOIN_CODES = [
  'wrong-passphrase',
  'name-not-found',
  'weak-signal',
  'no-address',
  'address-taken',
  'clock-not-set',
  'broker-refused',
  'broker-unreachable',
  'name-clash',
] as const;
export type JoinCode = (typeof JOIN_CODES)[number];

/** The cause as far as it can be told: a node's own code, or what follows from what it heard. */
export type JoinCause = JoinCode | 'stray-space' | 'other-letters' | 'five-gigahertz' | 'hidden-name';

/** A network that a node heard: its name (empty: it hides it) and level, dBm. */
export interface Heard {
  readonly name: string;
  readonly dbm: number;
}

/** A level at which a small board joins for certain, dBm; common practice. */
const STRONG_DBM = -75;
const FIVE = /(^|[^\d])5 ?g(hz)?$/i;
/** What routers put behind the name of their 2.4 GHz network when they send two names. */
const TWO = /^[-_ ]?2[.,]?4 ?g?(hz)?$/i;

/**
 * Refines what a node says by what it heard. Only "name not found" hides several causes: a space too many, other letters, a
 * router that sends the name on 5 GHz only, or one that hides it. `wanted` are the names it was written with.
 */
export function joinCause(code: JoinCode, wanted: readonly string[], heard: readonly Heard[]): JoinCause {
  if (code !== 'name-not-found') return code;
  const names = heard.map(({ name }) => name);
  if (wanted.some((name) => names.includes(name))) return 'weak-signal';
  if (wanted.some((name) => names.some((other) => other !== name && other.trim() === name.trim()) || name !== name.trim()))
    return 'stray-space';
  const letters = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]/g, '');
  if (wanted.some((name) => names.some((other) => other !== '' && letters(other) === letters(name)))) return 'other-letters';
  const twin = (name: string): boolean => names.some((other) => other.startsWith(name) && TWO.test(other.slice(name.length)));
  if (wanted.some((name) => FIVE.test(name) || twin(name))) return 'five-gigahertz';
  if (heard.some(({ name, dbm }) => name === '' && dbm >= STRONG_DBM)) return 'hidden-name';
  return 'name-not-found';
}

/** The network that a refusal is of: the one its words name, else the one whose turn it was. Nodes may try the strongest first. */
export const refusedNetwork = (text: string, wanted: readonly string[], turn: number): string | undefined =>
  wanted.find((name) => text.includes(`"${name}"`)) ?? wanted[turn % wanted.length];

/** Which of several refusals tells most: a passphrase that was refused says that the network was there. */
export function mostTelling<T extends { readonly code: string }>(refusals: readonly T[]): T | null {
  const order = [
    'name-clash',
    'broker-refused',
    'address-taken',
    'no-address',
    'wrong-passphrase',
    'stray-space',
    'other-letters',
    'five-gigahertz',
    'hidden-name',
    'weak-signal',
  ];
  const rank = (one: T): number => {
    const at = order.indexOf(one.code);
    return at < 0 ? order.length : at;
  };
  return refusals.reduce<T | null>((best, one) => (best === null || rank(one) < rank(best) ? one : best), null);
}
