import { nodeIdSchema } from '../wire/node-id';

/** One name made from a pattern, or why it cannot be used. */
export interface PatternName {
  name: string;
  problem: string | null;
}

/** Words as part of an id: small letters, digits and hyphens, accents taken off; empty where nothing is left. */
export const slug = (text: string): string =>
  text
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '');

/** What a room may not be called in addresses: the dashboard of all rooms has it. */
const ALL_ROOMS = 'all';

/** The slug of a new room: its words, `room` where it has none in Latin letters, with a number where that is taken. */
export function roomSlug(name: string, taken: ReadonlySet<string>): string {
  const words = slug(name) || 'room';
  for (let n = 1; ; n++) {
    const wanted = n === 1 ? words : `${words}-${n}`;
    if (wanted !== ALL_ROOMS && !taken.has(wanted)) return wanted;
  }
}

/**
 * Names from a pattern: `{n}` counts on from the first number that is free, `{n:2}` pads it to two digits,
 * `{room}` and `{sheet}` become their words in small letters. Names already in `taken` are skipped by the count;
 * without a number in the pattern only one name can be made.
 *
 * @param count how many, 1 to 200
 * @example namesFromPattern('proving-{n}', 2, { room: 'Proving room', sheet: 'Climate post' }, new Set(['proving-1']))
 * // proving-2, proving-3
 */
export function namesFromPattern(
  pattern: string,
  count: number,
  words: { room: string; sheet: string },
  taken: ReadonlySet<string>,
): PatternName[] {
  const numbered = /\{n(?::(\d))?\}/.test(pattern);
  const fill = (n: number): string =>
    pattern
      .replace(/\{n(?::(\d))?\}/g, (_, width: string | undefined) => String(n).padStart(Number(width ?? 1), '0'))
      .replace(/\{room\}/g, slug(words.room))
      .replace(/\{sheet\}/g, slug(words.sheet));
  const names: PatternName[] = [];
  for (let n = 1; names.length < count && n < 10_000; n++) {
    const name = fill(n);
    if (numbered && taken.has(name)) continue;
    const parsed = nodeIdSchema.safeParse(name);
    const problem = !parsed.success
      ? (parsed.error.issues[0]?.message ?? 'not a usable name')
      : taken.has(name)
        ? 'this name is taken'
        : !numbered && n > 1
          ? 'put {n} in the pattern, so that each name differs'
          : null;
    names.push({ name, problem });
  }
  return names;
}
