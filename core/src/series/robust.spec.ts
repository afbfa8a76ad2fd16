import * as fc from 'fast-check';
import { hampelOutliers, INITIAL_QUALITY_STATE, judgeReading, median, medianDeviation, robustDistance } from '.';

describe('a reading held against those before it', () => {
  const limits = { physicalMin: 0, physicalMax: 1000, spikeStep: null, stuckAfterMs: null, spikeWindow: 7, resolution: 1 };
  const judge = (values: readonly number[]): string[] => {
    let state = INITIAL_QUALITY_STATE;
    return values.map((value, i) => {
      const judged = judgeReading(limits, state, { at: i * 1000, value });
      state = judged.state;
      return judged.quality;
    });
  };
  const steady = [400, 401, 400, 402, 401, 400, 401];
  it('an echo gone astray is suspect, and the level around it is good', () => {
    expect(judge([...steady, 520, 401, 400])).toEqual([...Array(7).fill('good'), 'suspect', 'good', 'good']);
  });
  it('a real step is doubted for half of the window, and then believed', () => {
    const judged = judge([...steady, ...Array<number>(8).fill(450)]);
    expect(judged.slice(7)).toEqual([...Array(4).fill('suspect'), ...Array(4).fill('good')]);
  });
  it('one step of a sensor that stands still is no spike, and nothing is judged before there are enough', () => {
    expect(judge([...Array<number>(7).fill(400), 401, 402])).toEqual(Array(9).fill('good'));
    expect(judge([400, 900, 400])).toEqual(['good', 'good', 'good']);
  });
});

describe('robust figures', () => {
  it('middle and deviation of 1, 1, 2, 2, 4, 6, 9 are 2 and 1 (a textbook example)', () => {
    expect([median([9, 1, 2, 6, 1, 4, 2]), medianDeviation([1, 1, 2, 2, 4, 6, 9])]).toEqual([2, 1]);
    expect(median([1, 2, 3, 4])).toBe(2.5);
    expect(median([])).toBeNaN();
  });
  it('one spike among noise is found, and no step of a sensor that stands still once a floor is given', () => {
    const noisy = [20, 20.1, 20.2, 20.1, 20.3, 28, 20.2, 20.4, 20.3, 20.5, 20.4, 20.6];
    expect(hampelOutliers(noisy, 3, 3)).toEqual([5]);
    const step = [20, 20, 20, 20, 20.0625, 20, 20, 20];
    expect(hampelOutliers(step, 3, 3)).toEqual([4]);
    expect(hampelOutliers(step, 3, 3, 0.0625)).toEqual([]);
  });
  it('moving or stretching a record moves no outlier', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -100, max: 100 }), { minLength: 8, maxLength: 30 }),
        fc.integer({ min: -50, max: 50 }),
        fc.integer({ min: 1, max: 9 }),
        (values, shift, stretch) => {
          expect(
            hampelOutliers(
              values.map((value) => stretch * value + shift),
              3,
              3,
              stretch,
            ),
          ).toEqual(hampelOutliers(values, 3, 3, 1));
        },
      ),
    );
  });
  it('a value is as far off as it is beyond the noise', () => {
    const values = [10, 10.1, 9.9, 10.05, 9.95, 10.2, 15];
    expect(robustDistance(values, 15)).toBeCloseTo(33.387, 3);
    expect(robustDistance([20, 20, 20], 20.5, 0.5)).toBe(1);
  });
});
