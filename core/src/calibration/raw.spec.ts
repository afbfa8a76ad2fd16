import { conversionAt, fitPoint, isUncalibrated, judgeRaw, scaleOf, valueAt, versionAt, type RawScale } from '.';

const COUNTS: RawScale = { unit: 'counts', min: 0, max: 4095, step: 1, direction: 'falls', nominal: null };
// A divider of 100 kΩ over 100 kΩ: the pin sees half, nominally (Ohm's law).
const DIVIDED: RawScale = { unit: 'mV', min: 0, max: 3300, step: 1, direction: null, nominal: { gain: 0.002, offset: 0 } };
const FIRST = { version: 1, from: 1000, gain: -0.05, offset: 120 };
const SECOND = { version: 2, from: 2000, gain: -0.06, offset: 140 };

describe('what a node sends, and what is made of it', () => {
  it('a part without a nominal conversion is uncalibrated until somebody calibrates it; others never are', () => {
    expect(isUncalibrated(COUNTS, [])).toBe(true);
    expect(isUncalibrated(COUNTS, [FIRST])).toBe(false);
    expect(isUncalibrated(DIVIDED, [])).toBe(false);
    expect(isUncalibrated(null, [])).toBe(false);
  });
  it('uncalibrated it stays as it comes; nominally it is what the sheet says', () => {
    expect(valueAt(COUNTS, [], 5000, 2210)).toBe(2210);
    expect(valueAt(DIVIDED, [], 5000, 1850)).toBeCloseTo(3.7, 12);
    expect(valueAt(null, [], 5000, 21.4)).toBe(21.4);
  });
  it('the calibration in force at its time converts it, and the first one reaches back where nothing else could', () => {
    expect(versionAt(COUNTS, [FIRST, SECOND], 500)).toBe(FIRST);
    expect(versionAt(COUNTS, [SECOND, FIRST], 1500)).toBe(FIRST);
    expect(versionAt(COUNTS, [FIRST, SECOND], 2000)).toBe(SECOND);
    expect(versionAt(DIVIDED, [FIRST], 500)).toBeNull();
    expect(conversionAt(DIVIDED, [FIRST], 500)).toEqual(DIVIDED.nominal);
    expect(versionAt(null, [FIRST], 500)).toBeNull();
    expect(valueAt(COUNTS, [FIRST], 500, 2000)).toBeCloseTo(20, 12);
  });
  it('it is shown in raw units, range and steps until then', () => {
    const bed = { unit: '%', min: 0, max: 60, decimals: 0 };
    expect(scaleOf({ ...bed, raw: COUNTS }, [])).toEqual({ unit: 'counts', min: 0, max: 4095, decimals: 0 });
    expect(scaleOf({ ...bed, raw: { ...COUNTS, step: 0.02 } }, []).decimals).toBe(2);
    expect(scaleOf({ ...bed, raw: COUNTS }, [FIRST])).toEqual(bed);
    expect(scaleOf({ ...bed, raw: DIVIDED }, [])).toEqual(bed);
  });
  it.each([
    [-1, 'out-of-range'],
    [0, 'rail'],
    [1, null],
    [4094, null],
    [4095, 'rail'],
    [4096, 'out-of-range'],
  ])('%s counts: %s', (value, verdict) => expect(judgeRaw(COUNTS, value)).toBe(verdict));
  describe('calibrating it', () => {
    const bed = { unit: '%', min: 0, max: 60, decimals: 0, raw: COUNTS };
    const dryAndWet = [
      { raw: 2800, reference: 5 },
      { raw: 1300, reference: 35 },
    ];
    it('two captures make percent of counts; its resolution is that of a count', () => {
      const fitted = fitPoint(bed, [], 0, { method: 'two-point', captures: dryAndWet });
      // 30 % over 1 500 counts; a count is 0.02 %, spread evenly (GUM 4.3.7).
      expect(fitted).toMatchObject({
        coefficients: { gain: -0.02, offset: 61 },
        uncertainty: expect.closeTo(0.02 / Math.sqrt(12), 9) as number,
      });
    });
    it('one reference shifts what is calibrated, its slope stays; what is not cannot be shifted into another unit', () => {
      const one = [{ raw: 2000, reference: 22 }];
      expect(fitPoint(bed, [], 0, { method: 'offset', captures: one })).toMatch(/one reference cannot make % of counts: capture two/);
      expect(fitPoint(bed, [FIRST], 1500, { method: 'offset', captures: one })).toMatchObject({
        coefficients: { gain: -0.05, offset: 122 },
      });
      expect(fitPoint({ ...bed, raw: null }, [], 0, { method: 'offset', captures: one })).toMatchObject({ coefficients: { gain: 1 } });
    });
    it('a wet that reads drier than dry, and a wire that is off, are told with their figures', () => {
      const swapped = dryAndWet.map(({ raw, reference }) => ({ raw, reference: 40 - reference }));
      expect(fitPoint(bed, [], 0, { method: 'two-point', captures: swapped })).toBe(
        'its counts fall as % rise, and here 1300 go with 5 %, 2800 with 35: look whether two captures were mixed up',
      );
      const off = [dryAndWet[0]!, { raw: 4095, reference: 35 }];
      expect(fitPoint(bed, [], 0, { method: 'two-point', captures: off })).toMatch(
        /4095 counts is at the end of what the converter can give/,
      );
    });
  });
  it('what comes in its own unit has no ends to be pinned at', () => expect(judgeRaw(null, 0)).toBeNull());
});
