import { imageChoices, saidOnce, type Looked } from './before-writing';

const warn = { verdict: 'warn' as const, title: 'Sheet', detail: 'Outdoors: coat the board.' };
const fail = { verdict: 'fail' as const, title: 'Address', detail: 'It is taken.' };
const looked = (node: string, ...wrong: Looked['wrong']): Looked => ({
  node,
  board: 'b',
  image: 'i-1',
  wrong,
  worst: wrong[0]?.verdict ?? 'pass',
});

describe('what is found before writing', () => {
  it('is said once, with all it is said of: what fails first, what most have before what few have; what passes is not said', () => {
    const other = { ...warn, detail: 'A long cable.' };
    const pass = { verdict: 'pass' as const, title: 'Slot', detail: 'fits' };
    const found = [looked('a', other, pass), looked('b', warn), looked('c', warn, fail)];
    expect(saidOnce(found)).toEqual([
      { ...fail, nodes: ['c'] },
      { ...warn, nodes: ['b', 'c'] },
      { ...other, nodes: ['a'] },
    ]);
  });
  it('keeps apart what fails for one and only warns of another', () => {
    expect(saidOnce([looked('a', { ...warn, verdict: 'fail' }), looked('b', warn)]).map(({ verdict, nodes }) => [verdict, nodes])).toEqual([
      ['fail', ['a']],
      ['warn', ['b']],
    ]);
  });
  it('offers each board only images made for it, and none where the board is not known', () => {
    const images = [
      { id: 'i-1', board: 'b' },
      { id: 'i-2', board: 'other' },
    ] as unknown as Parameters<typeof imageChoices>[1];
    expect(imageChoices([looked('a'), looked('b'), { ...looked('c'), board: null }], images)).toEqual([
      { board: 'b', nodes: 2, chosen: 'i-1', images: [images[0]] },
    ]);
  });
});
