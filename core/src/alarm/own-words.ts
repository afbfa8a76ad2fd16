/** Placeholders of the point that tripped, in words that somebody has written for a rule. */
export const PLACEHOLDERS = ['value', 'unit', 'point', 'node', 'room', 'since', 'battery', 'limit'] as const;
export type Placeholder = (typeof PLACEHOLDERS)[number];

/** Another point, by the ids of its node and itself. */
export interface OtherPoint {
  readonly node: string;
  readonly point: string;
}
const OTHER = /^([a-z0-9][a-z0-9.-]*)\/([a-z0-9][a-z0-9_.-]*)$/;
const isOwn = (name: string): name is Placeholder => (PLACEHOLDERS as readonly string[]).includes(name);
const inBraces = (words: string): string[] => [...words.matchAll(/\{([^{}]*)\}/g)].map(([, name = '']) => name);
const otherOf = (name: string): OtherPoint | null => {
  const [, node, point] = OTHER.exec(name) ?? [];
  return node === undefined || point === undefined ? null : { node, point };
};

/** What words hold in braces that nothing stands for; empty: all of it is known, or is the place of another point. */
export const unknownPlaceholders = (words: string): string[] => inBraces(words).filter((name) => !isOwn(name) && otherOf(name) === null);

/** Other points whose values words ask for, each once. */
export const othersNamed = (words: string): OtherPoint[] =>
  [...new Set(inBraces(words))].flatMap((name) => (isOwn(name) ? [] : (otherOf(name) ?? [])));

/** Markup, which would be read out as it stands: every message is plain text. The piece that was found; `null`: there is none. */
export const markupIn = (words: string): string | null => /<\/?[a-z][^<>]*>/i.exec(words)?.[0] ?? null;

/** Words with their placeholders filled in; what has no value is a dash. What is filled in is never read again. `read` gives the value of another point with its unit. */
export const fillWords = (
  words: string,
  values: Readonly<Partial<Record<Placeholder, string>>>,
  read: (other: OtherPoint) => string | null = () => null,
): string =>
  words.replace(/\{([^{}]*)\}/g, (whole, name: string) => {
    if (isOwn(name)) return values[name] ?? '–';
    const other = otherOf(name);
    return other === null ? whole : (read(other) ?? '–');
  });
