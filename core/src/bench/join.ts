import { JOIN_CODES, joinCause, mostTelling, refusedNetwork, type Heard, type JoinCode } from '../joining';

/** What is known while a node tries to join, after its restart. */
export interface JoinWatch {
  /** The networks it was written with, in order. */
  readonly wanted: readonly string[];
  readonly refused: readonly { readonly code: string; readonly evidence: string }[];
  readonly isIn: boolean;
}

/** What a line of its log came to. */
export type JoinHeard =
  | { readonly kind: 'nothing' }
  | { readonly kind: 'joined'; readonly evidence: string }
  /** It cannot join: every network has refused it, or something that no network can help. */
  | { readonly kind: 'refused'; readonly code: string; readonly evidence: string }
  /** It had joined, and what came after failed: its first contact. */
  | { readonly kind: 'no-contact'; readonly code: string; readonly evidence: string };

interface Line {
  readonly text: string;
  readonly code?: string;
  readonly heard?: readonly Heard[];
}

const isJoinCode = (code: string | undefined): code is JoinCode => JOIN_CODES.some((known) => known === code);
/** Causes that are a network's own: the next may still take the node. */
const OF_ONE_NETWORK: readonly string[] = ['wrong-passphrase', 'name-not-found', 'weak-signal'];
/** Causes after which it tries no more. */
const ENDS: readonly string[] = ['brown-out', 'backing-off'];

/** A line as evidence, with the networks that were heard. */
function heardText({ text, heard }: Line): string {
  const names = (heard ?? []).map(({ name, dbm }) => `"${name || 'hidden'}" ${dbm} dBm`);
  return names.length > 0 ? `${text}; heard ${names.join(', ')}` : text;
}

/**
 * Takes in one line of a node's log and says what it means for the join. Networks refuse one after the other; only when the last has
 * refused is the join lost, and then the refusal that tells most is its cause. Lines from before the restart must not come here.
 */
export function listenForJoin(watch: JoinWatch, line: Line): readonly [JoinWatch, JoinHeard] {
  const nothing: JoinHeard = { kind: 'nothing' };
  if (line.code === 'joined')
    return watch.isIn
      ? [watch, nothing]
      : [
          { ...watch, isIn: true },
          { kind: 'joined', evidence: line.text },
        ];
  if (line.code !== undefined && ENDS.includes(line.code)) return [watch, { kind: 'refused', code: line.code, evidence: line.text }];
  if (!isJoinCode(line.code)) return [watch, nothing];
  const tried = refusedNetwork(line.text, watch.wanted, watch.refused.length);
  const code = joinCause(line.code, tried === undefined ? [] : [tried], line.heard ?? []);
  if (watch.isIn) return [watch, { kind: 'no-contact', code, evidence: line.text }];
  const refused = [...watch.refused, { code, evidence: heardText(line) }];
  const next: JoinWatch = { ...watch, refused };
  if (OF_ONE_NETWORK.includes(line.code) && refused.length < watch.wanted.length) return [next, nothing];
  return [next, { kind: 'refused', ...(mostTelling(refused) ?? { code, evidence: line.text }) }];
}
