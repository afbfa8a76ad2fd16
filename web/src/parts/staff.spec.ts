import { staffGeometry, type StaffLimit } from './staff';

const limit = (side: 'high' | 'low', setpoint: number, clearLevel: number, severity: StaffLimit['severity']): StaffLimit => ({
  side,
  setpoint,
  clearLevel,
  severity,
});
const geometry = (limits: StaffLimit[], more: Partial<Parameters<typeof staffGeometry>[0]> = {}) =>
  staffGeometry({ width: 338, min: 0, max: 100, limits, low: null, high: null, ...more });

describe('the staff of a reading strip', () => {
  it('runs from pad to pad and clamps what lies outside', () => {
    const { x } = geometry([]);
    expect([x(0), x(100), x(50), x(-5), x(500)]).toEqual([14, 324, 169, 14, 324]);
  });
  it('draws ladders as rising steps outwards, each up to the next, and the deadband on its clearing side', () => {
    const { zones, deadbands, x } = geometry([
      limit('high', 80, 76, 'warning'),
      limit('high', 60, 58, 'advisory'),
      limit('low', 20, 24, 'critical'),
    ]);
    expect(zones.map((z) => [z.x, z.width, z.height])).toEqual([
      [x(60), x(80) - x(60), 6],
      [x(80), x(100) - x(80), 11.5],
      [x(0), x(20) - x(0), 17],
    ]);
    expect(deadbands.map((d) => [d.x, d.x + d.width])).toEqual([
      [x(58), x(60)],
      [x(76), x(80)],
      [x(20), x(24)],
    ]);
  });
  it('has figures at round values and a bar from the day’s lowest to its highest', () => {
    const { figures, bar, x } = geometry([], { min: 400, max: 2400, low: 620, high: 1500 });
    expect(figures.map((f) => f.text)).toEqual(['500', '1\u2009000', '1\u2009500', '2\u2009000']);
    expect(bar).toEqual({ x: x(620), width: x(1500) - x(620) });
  });
});
