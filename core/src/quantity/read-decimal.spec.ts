import { readDecimal } from '.';

it('reads decimal numbers with a full stop, says a comma, and takes nothing else for a number', () => {
  expect(['1', '-1.5', '+.5', '3.', '2e3', '1E-2'].map(readDecimal)).toEqual([1, -1.5, 0.5, 3, 2000, 0.01]);
  expect(['1,5', '-,5'].map(readDecimal)).toEqual(['comma', 'comma']);
  for (const no of ['', ' ', '.', '-', '1 5', '0x10', 'Infinity', 'NaN', '1e999', '1.2.3', '1,000.5', '٣'])
    expect([no, readDecimal(no)]).toEqual([no, null]);
});
