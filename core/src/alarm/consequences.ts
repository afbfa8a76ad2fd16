/** What follows from a trip: somebody must act, an output is switched silently, somebody wants to hear of it. */
export const CONSEQUENCES = ['alert', 'control', 'notice'] as const;
export type Consequence = (typeof CONSEQUENCES)[number];

/** What a rule's consequences are where none are named: an alert, and control where it switches an output; control alone where it tells the journal only. */
export function usualConsequences(rule: { readonly output: number | null; readonly tells: 'alert' | 'journal' }): Consequence[] {
  if (rule.output === null) return ['alert'];
  return rule.tells === 'journal' ? ['control'] : ['alert', 'control'];
}

/** What is wrong with a rule's consequences, in words for a person; `null`: nothing. */
export function consequencesFault(consequences: readonly Consequence[], output: number | null): string | null {
  if (consequences.includes('control') && output === null) return 'Control switches an output: choose which, or take control away.';
  if (output !== null && !consequences.includes('control'))
    return 'An output is named, and nothing switches it: add control, or take the output away.';
  return null;
}

/** What a rule switches, in order: its output at once, and what follows it, each so long after the trip, s. */
export const switchedBy = (rule: {
  readonly output: number | null;
  readonly then?: readonly { readonly output: number; readonly afterSeconds: number }[];
}): { output: number; afterSeconds: number }[] =>
  rule.output === null ? [] : [{ output: rule.output, afterSeconds: 0 }, ...(rule.then ?? [])];

/** Words of a notice for each edge; `null`: that edge is not told. Both `null`: both edges are told, in the usual words. */
interface NoticeWords {
  readonly trip: string | null;
  readonly clear: string | null;
}
/** Is an edge told as a notice, and in which words of its own? */
export function noticeOf(words: NoticeWords | null, edge: 'trip' | 'clear'): { told: boolean; words: string | null } {
  if (words === null || (words.trip === null && words.clear === null)) return { told: true, words: null };
  return { told: words[edge] !== null, words: words[edge] };
}

/** Notices of the same rule and edge within this time are joined, ms. */
export const JOINED_WITHIN_MS = 10 * 60_000;
