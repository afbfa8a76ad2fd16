import { agrees } from '../checks/agreement';

// The comparison behind `npm run check-values` must be able to say no.
describe('agreement with a check value', () => {
  it('holds within the tolerance and not beyond it', () => {
    expect(agrees(9.26, 9.27, 0.0101)).toBe(true);
    expect(agrees(9.26, 9.28, 0.01)).toBe(false);
    expect(agrees(1, 1.0000001, 0)).toBe(false);
  });
  it('refuses null, NaN, text and missing members where a number is expected', () => {
    for (const answer of [null, NaN, '9.26', undefined, [9.26]]) expect(agrees(answer, 9.26, 1)).toBe(false);
    expect(agrees([1, 2], [1, 2, 3], 1)).toBe(false);
    expect(agrees({ a: 1, b: 2 }, { a: 1 }, 1)).toBe(false);
    expect(agrees({ a: 1 }, { a: 1, b: 2 }, 1)).toBe(false);
    expect(agrees(NaN, 'NaN', 0)).toBe(true);
  });
});
