import type { Firmware } from '@dewpost/contract';

/** What was found of one node before it is written. */
export interface Looked {
  readonly node: string;
  readonly board: string | null;
  readonly image: string | null;
  readonly wrong: readonly { verdict: 'pass' | 'warn' | 'fail'; title: string; detail: string }[];
  readonly worst: 'pass' | 'warn' | 'fail';
}

/** One thing that is wrong, with all the nodes it is said of. */
export interface SaidOfMany {
  readonly verdict: 'warn' | 'fail';
  readonly title: string;
  readonly detail: string;
  readonly nodes: readonly string[];
}

/** The same words of many nodes once, with their nodes: what fails first, then what most nodes have. */
export function saidOnce(found: readonly Looked[]): SaidOfMany[] {
  const all = new Map<string, SaidOfMany>();
  for (const { node, wrong } of found)
    for (const { verdict, title, detail } of wrong) {
      if (verdict === 'pass') continue;
      const key = JSON.stringify([verdict, title, detail]);
      all.set(key, { verdict, title, detail, nodes: [...(all.get(key)?.nodes ?? []), node] });
    }
  return [...all.values()].sort((a, b) => Number(b.verdict === 'fail') - Number(a.verdict === 'fail') || b.nodes.length - a.nodes.length);
}

/** Boards of the nodes that were looked at, each with the images there are for it. */
export function imageChoices(
  found: readonly Looked[],
  images: readonly Firmware[],
): { board: string; nodes: number; chosen: string | null; images: Firmware[] }[] {
  const boards = new Map<string, { nodes: number; chosen: string | null }>();
  for (const { board, image } of found)
    if (board !== null) boards.set(board, { nodes: (boards.get(board)?.nodes ?? 0) + 1, chosen: image });
  return [...boards].map(([board, of]) => ({ board, ...of, images: images.filter((image) => image.board === board) }));
}
