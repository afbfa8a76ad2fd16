import type { Adopted, HeardTopic } from '@dewpost/contract';
import { mapValue, pointerTokens, type MapEntry } from '@dewpost/core/adopt';
import { slug } from '@dewpost/core/naming';

/** One entry of the map as it is being made: with what people read. */
export type DraftEntry = Omit<Adopted['map'][number], 'texts'> & { readonly texts: Readonly<Record<string, number>> };

/** One value in the messages of a topic, with the entry that means it. */
export interface LeafRow {
  readonly kind: 'leaf';
  readonly key: string;
  readonly topic: string;
  readonly pointer: string | null;
  /** The last part of its pointer. */
  readonly name: string;
  readonly depth: number;
  readonly value: string | number | boolean | null;
  readonly entry: DraftEntry | null;
  /** What it becomes in the point's unit; `null`: it says nothing of a point. */
  readonly live: { readonly value: number } | { readonly why: string } | null;
}
export interface TopicRow {
  readonly kind: 'topic';
  readonly key: string;
  readonly topic: HeardTopic;
}
export type HeardRow = TopicRow | LeafRow;

export const keyOf = (topic: string, pointer: string | null): string => `${topic} ${pointer ?? ''}`;

const entryFor = (entry: DraftEntry): MapEntry => ({ ...entry, pointer: null });

/** What has come, topic by topic and value by value, beside what the map makes of it. */
export function heardRows(heard: readonly HeardTopic[], map: readonly DraftEntry[]): HeardRow[] {
  const byPlace = new Map(map.map((entry) => [keyOf(entry.topic, entry.pointer), entry]));
  const silent = map.filter(({ topic }) => !heard.some((one) => one.topic === topic));
  const rows = heard.flatMap((topic): HeardRow[] => [
    { kind: 'topic', key: topic.topic, topic },
    ...topic.leaves.map(({ pointer, value }): LeafRow => {
      const entry = byPlace.get(keyOf(topic.topic, pointer)) ?? null;
      const parts = pointerTokens(pointer ?? '');
      return {
        kind: 'leaf',
        key: keyOf(topic.topic, pointer),
        topic: topic.topic,
        pointer,
        value,
        entry,
        name: parts.at(-1) ?? 'the whole message',
        depth: Math.max(0, parts.length - 1),
        live: entry && mapValue(entryFor(entry), { kind: 'json', text: '', value }),
      };
    }),
  ]);
  // What is mapped and has not come since the server started keeps its place at the end.
  return [
    ...rows,
    ...silent.map((entry): LeafRow => ({
      kind: 'leaf',
      key: keyOf(entry.topic, entry.pointer),
      topic: entry.topic,
      pointer: entry.pointer,
      depth: 0,
      value: null,
      entry,
      name: `${entry.topic}${entry.pointer ?? ''}`,
      live: null,
    })),
  ];
}

/** A point's name out of the words of a pointer or topic: what the firmware calls it. */
export const nameFor = (topic: string, pointer: string | null, taken: ReadonlySet<string>): string => {
  const words = (pointer ?? topic).split('/').filter(Boolean);
  const stem = slug(words.at(-1) ?? '').slice(0, 40) || 'value';
  for (let n = 1; ; n++) {
    const name = n === 1 ? stem : `${stem}-${n}`;
    if (!taken.has(name)) return name;
  }
};

/** `shut 0, open 1` as numbers for texts; or what is wrong with it. */
export function textsOf(line: string): Record<string, number> | string {
  const texts: Record<string, number> = {};
  for (const part of line.split(',').map((text) => text.trim())) {
    if (part === '') continue;
    const [, word, number] = /^(.*?[^\s=:])[\s=:]+(-?\d+(?:\.\d+)?)$/.exec(part) ?? [];
    if (word === undefined || number === undefined) return `“${part}”: a text and its number, such as open 1`;
    texts[word] = Number(number);
  }
  return texts;
}

export const lineOf = (texts: Readonly<Record<string, number>>): string =>
  Object.entries(texts)
    .map(([word, number]) => `${word} ${number}`)
    .join(', ');
