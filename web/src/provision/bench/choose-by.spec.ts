import { groupsOf } from './choose-by';

const waiting = [
  { id: 'a', room: 'Bakery', sheet: 'Climate post' },
  { id: 'b', room: 'Cellar', sheet: 'Climate post' },
  { id: 'c', room: 'Bakery', sheet: 'Contact post' },
];
const inBatch = (id: number, ...nodes: string[]) => ({
  id,
  nodes: nodes.map((node) => ({ node, gateway: null, result: 'stopped' as const })),
});

describe('nodes that are chosen together', () => {
  it('are those of a room or a sheet, in the order in which they wait', () => {
    expect(groupsOf(waiting, 'room', [])).toEqual([
      { name: 'Bakery', nodes: ['a', 'c'] },
      { name: 'Cellar', nodes: ['b'] },
    ]);
    expect(groupsOf(waiting, 'sheet', []).map(({ nodes }) => nodes)).toEqual([['a', 'b'], ['c']]);
  });
  it('are those of the newest batch that each was in; who was in none is in no group, and what waits no more is not chosen', () => {
    expect(groupsOf(waiting, 'batch', [inBatch(7, 'a', 'gone'), inBatch(4, 'a', 'b')])).toEqual([
      { name: 'batch 7', nodes: ['a'] },
      { name: 'batch 4', nodes: ['b'] },
    ]);
    expect(groupsOf(waiting, 'batch', [])).toEqual([]);
  });
});
