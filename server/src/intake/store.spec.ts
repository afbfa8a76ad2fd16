import type { Item } from './batch';
import { allNew } from './store';

const reading = (point: number, at: number): Item => ({ point: { id: point }, at }) as unknown as Item;
const known = (at: Record<number, number>) => ({ get: (point: number) => (at[point] === undefined ? undefined : { at: at[point] }) });

describe('readings that cannot be there already', () => {
  it.each([
    ['of points that nothing is known of', [reading(1, 10), reading(2, 10)], {}, true],
    ['after all that is known, each of its own point', [reading(1, 11), reading(2, 6)], { 1: 10, 2: 5 }, true],
    ['in order among themselves', [reading(1, 11), reading(1, 12), reading(1, 13)], { 1: 10 }, true],
    ['one at the time that is known', [reading(1, 10)], { 1: 10 }, false],
    ['one before it', [reading(1, 9)], { 1: 10 }, false],
    ['one of another point before its own', [reading(1, 11), reading(2, 4)], { 1: 10, 2: 5 }, false],
    ['twins', [reading(1, 11), reading(1, 11)], { 1: 10 }, false],
    ['out of order among themselves', [reading(1, 12), reading(1, 11)], { 1: 10 }, false],
    ['out of order of a point that nothing is known of', [reading(1, 12), reading(1, 11)], {}, false],
    ['none', [], { 1: 10 }, true],
  ] as const)('%s', (_what, items, newest, expected) => {
    expect(allNew(items, known(newest))).toBe(expected);
  });
});
