import { INITIAL_QUALITY_STATE, judgeReading, type QualityLimits } from '.';

const limits: QualityLimits = { physicalMin: -40, physicalMax: 85, spikeStep: 8, stuckAfterMs: 60_000 };
function judge(values: readonly (readonly [seconds: number, value: number])[], of = limits): string[] {
  let state = INITIAL_QUALITY_STATE;
  return values.map(([seconds, value]) => {
    const judged = judgeReading(of, state, { at: seconds * 1000, value });
    state = judged.state;
    return judged.reason ?? judged.quality;
  });
}

describe('quality of a reading', () => {
  it('is bad out of range or not a number, and the next one is judged as if it had not been', () => {
    expect(
      judge([
        [0, 20],
        [1, 320],
        [2, NaN],
        [3, 20.4],
      ]),
    ).toEqual(['good', 'out-of-range', 'not-a-number', 'good']);
  });
  it('doubts one jump, believes the second', () => {
    expect(
      judge([
        [0, 20],
        [10, 40],
        [20, 20.1],
      ]),
    ).toEqual(['good', 'spike', 'good']);
    expect(
      judge([
        [0, 20],
        [10, 40],
        [20, 40.2],
        [30, 40.3],
      ]),
    ).toEqual(['good', 'spike', 'spike', 'good']);
  });
  it('doubts a value that has not moved at all for the limit, not one that moves in its last digit', () => {
    expect(
      judge([
        [0, 20],
        [30, 20],
        [60, 20],
        [61, 20.01],
      ]),
    ).toEqual(['good', 'good', 'stuck', 'good']);
    expect(
      judge(
        [
          [0, 1],
          [90, 1],
        ],
        { ...limits, stuckAfterMs: null },
      ),
    ).toEqual(['good', 'good']);
  });
  it('judges a late one by range alone', () => {
    expect(
      judge([
        [10, 20],
        [5, 60],
        [11, 20.1],
      ]),
    ).toEqual(['good', 'good', 'good']);
  });
});
