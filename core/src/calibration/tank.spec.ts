import fc from 'fast-check';
import {
  coneBottomLitres,
  lyingCylinderShare,
  lyingCylinderLitres,
  sphereShare,
  sphericalCapLitres,
  standingCylinderLitres,
  strappingLitres,
} from '.';

const level = fc.double({ min: 0, max: 1, noNaN: true });

describe('tanks', () => {
  it('a lying cylinder is symmetrical about its middle and agrees with a sum of thin slices', () => {
    fc.assert(fc.property(level, (h) => expect(lyingCylinderShare(h) + lyingCylinderShare(1 - h)).toBeCloseTo(1, 9)));
    for (const h of [0.1, 0.37, 0.8]) {
      let area = 0;
      const slices = 20_000;
      for (let i = 0; i < slices; i++) {
        const y = ((i + 0.5) / slices) * h - 0.5;
        area += (2 * Math.sqrt(0.25 - y * y) * h) / slices;
      }
      expect(lyingCylinderShare(h)).toBeCloseTo(area / (Math.PI / 4), 5);
    }
  });
  it('none ever holds less when it stands higher', () => {
    const shapes = [
      (h: number) => lyingCylinderLitres(1.2, 2, h),
      (h: number) => standingCylinderLitres(1.2, h),
      (h: number) => coneBottomLitres(1.2, 0.6, h),
      (h: number) => sphericalCapLitres(0.6, h),
      (h: number) => sphereShare(h),
    ];
    fc.assert(
      fc.property(level, level, (a, b) => {
        for (const litres of shapes) expect(litres(Math.max(a, b)) - litres(Math.min(a, b))).toBeGreaterThanOrEqual(-1e-9);
      }),
    );
  });
  it('litres a centimetre of straight walls: 2 000 L over 130 cm is 15.4 (common practice)', () => {
    const table = [
      [0, 0],
      [1.3, 2000],
    ] as const;
    expect(strappingLitres(table, 0.51) - strappingLitres(table, 0.5)).toBeCloseTo(15.4, 1);
    expect(() => strappingLitres([], 1)).toThrow(RangeError);
  });
});
