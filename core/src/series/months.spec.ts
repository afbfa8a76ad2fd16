import { keptFrom, monthSpan, monthsThatGo } from './months';

const NOW = Date.parse('2026-03-31T23:30:00Z');

describe('months of raw readings', () => {
  it('begin and end at midnight UTC, over the end of a year too', () => {
    expect(monthSpan('2026-12')).toEqual({ from: Date.parse('2026-12-01T00:00:00Z'), to: Date.parse('2027-01-01T00:00:00Z') });
  });
  it('the current one and as many whole ones before it stay', () => {
    expect(keptFrom(2, NOW)).toBe(Date.parse('2026-01-01T00:00:00Z'));
    expect(keptFrom(14, NOW)).toBe(Date.parse('2025-01-01T00:00:00Z'));
    expect(keptFrom(null, NOW)).toBe(-Infinity);
    const months = ['2026-01', '2025-12', '2026-03', '2025-11'];
    expect(monthsThatGo(months, 2, NOW)).toEqual(['2025-11', '2025-12']);
    expect(monthsThatGo(months, 3, NOW)).toEqual(['2025-11']);
    expect(monthsThatGo(months, null, NOW)).toEqual([]);
  });
});
