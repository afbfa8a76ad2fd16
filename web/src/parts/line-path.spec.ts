import { linePath } from './line-path';
import { typedNumber } from './typed-number';

it('a line through points, to a tenth; none through one', () => {
  expect(
    linePath([
      [0, 1.26],
      [10, 2],
    ]),
  ).toBe('M0.0 1.3L10.0 2.0');
  expect([linePath([[0, 1]]), linePath([])]).toEqual(['', '']);
});

it('what was typed is a number, or nothing: never nought for an empty field', () => {
  expect(['', '  ', '-', '1,5', 'x', '1.5', ' -2 ', '0', '1e999'].map(typedNumber)).toEqual([
    null,
    null,
    null,
    null,
    null,
    1.5,
    -2,
    0,
    null,
  ]);
});
