import { heightOfValue, steppedValue, valueAtHeight } from './limit-scale';

const scale = { top: 6, height: 100, low: 20, high: 40 };

describe('a limit over its record', () => {
  it('lies where its value is, at an end of the scale where that is beyond it', () => {
    expect([40, 30, 20, 55, -3].map((value) => heightOfValue(scale, value))).toEqual([6, 56, 106, 6, 106]);
    expect(heightOfValue({ ...scale, low: 40 }, 40)).toBe(56);
  });
  it('reads as finely as its point is shown, and never beyond the scale', () => {
    expect([56, 6, 106, -50, 300].map((at) => valueAtHeight(scale, at, 1))).toEqual([30, 40, 20, 40, 20]);
    expect(valueAtHeight(scale, 33.3, 1)).toBe(34.5);
    expect(valueAtHeight(scale, 33.3, 0)).toBe(35);
  });
  it('goes back to where it was dragged to, for every shown value', () => {
    for (let tenths = 200; tenths <= 400; tenths++) expect(valueAtHeight(scale, heightOfValue(scale, tenths / 10), 1)).toBe(tenths / 10);
  });
  it('moves a step a key, ten with Shift or by pages, and by no other key', () => {
    const after = (key: string, shiftKey = false): number | null => steppedValue(30, { key, shiftKey }, 1);
    expect([after('ArrowUp'), after('ArrowDown'), after('ArrowUp', true), after('PageDown')]).toEqual([30.1, 29.9, 31, 29]);
    expect([after('ArrowLeft'), after('Enter'), after('7')]).toEqual([null, null, null]);
  });
});
