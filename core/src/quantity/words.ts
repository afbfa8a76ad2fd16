import { formatNumber } from './format';

/** A count with its noun: `1 node`, `2 nodes`, `1 battery`, `3 batteries` with its own plural. */
export const counted = (count: number, one: string, many = `${one}s`): string => `${formatNumber(count)} ${count === 1 ? one : many}`;

/** Sentences of a text, each with its full stop. */
const sentencesOf = (text: string): string[] =>
  text
    .match(/[^.!?]+[.!?]+(?=\s|$)|[^.!?]+$|[^.!?]+[.!?]+/g)
    ?.map((one) => one.trim())
    .filter(Boolean) ?? [];

/**
 * Texts as one, every sentence once, in order: cautions of several parts say much the same. `said` holds what was said before, and takes
 * what is said now.
 * @example eachOnce(['Unplug it. Mains bite.', 'Mains bite. Keep dry.']) // 'Unplug it. Mains bite. Keep dry.'
 */
export function eachOnce(texts: readonly (string | null | undefined)[], said: Set<string> = new Set()): string {
  return texts
    .flatMap((text) => sentencesOf(text ?? ''))
    .filter((sentence) => {
      if (said.has(sentence)) return false;
      said.add(sentence);
      return true;
    })
    .join(' ');
}
