import type { HeardLine } from './listener';

/** What is drawn, each of one height: lines, the sentence beneath one that is known, and a chip's own start text folded into one. */
export type ListenRow =
  | { readonly key: string; readonly is: 'line'; readonly line: HeardLine }
  | { readonly key: string; readonly is: 'words'; readonly words: string; readonly bad: boolean }
  | { readonly key: string; readonly is: 'fold'; readonly of: number; readonly count: number; readonly open: boolean };

/** The lines as rows. `unfolded` are the first lines (by number) of start texts that were opened. */
export function rowsOf(lines: readonly HeardLine[], unfolded: ReadonlySet<number>): ListenRow[] {
  const rows: ListenRow[] = [];
  for (let i = 0; i < lines.length; i++) {
    const line = lines[i];
    if (!line) break;
    if (line.meaning.kind === 'start') {
      let last = i;
      while (lines[last + 1]?.meaning.kind === 'start') last++;
      const open = unfolded.has(line.id);
      rows.push({ key: `f${line.id}`, is: 'fold', of: line.id, count: last - i + 1, open });
      if (open) for (const own of lines.slice(i, last + 1)) rows.push({ key: `l${own.id}`, is: 'line', line: own });
      i = last;
      continue;
    }
    rows.push({ key: `l${line.id}`, is: 'line', line });
    if ('words' in line.meaning)
      rows.push({ key: `w${line.id}`, is: 'words', words: line.meaning.words, bad: line.meaning.kind === 'trouble' });
  }
  return rows;
}

/** The lines that have these words, upper or lower case. */
export function linesWith(lines: readonly HeardLine[], words: string): readonly HeardLine[] {
  const wanted = words.trim().toLowerCase();
  return wanted === '' ? lines : lines.filter(({ text }) => text.toLowerCase().includes(wanted));
}

/** As a text file: each line behind the time it began. */
export const asText = (lines: readonly HeardLine[]): string =>
  lines.map(({ at, text }) => `${new Date(at).toISOString()} ${text}\n`).join('');
