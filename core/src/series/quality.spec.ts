import { INITIAL_QUALITY_STATE, judgeReading, type QualityLimits, type Surroundings } from '.';

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
  it('judges a late one by its place in the backfill, the first of it by range alone; what is new is judged as if none of it had come', () => {
    expect(
      judge([
        [100, 20],
        [10, 50],
        [20, 50.1],
        [30, 70],
        [40, 50.2],
        [5, 20],
        [110, 20.1],
      ]),
    ).toEqual(['good', 'good', 'good', 'spike', 'good', 'good', 'good']);
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

describe('a reading among others', () => {
  const MINUTE = 60;
  const of: QualityLimits = { ...limits, stuckAfterMs: 12 * 3_600_000, stuckBesideMs: 30 * MINUTE * 1000, besideMoves: 4 };
  /** Stands at 20 for an hour, minute by minute, while others go their way; gives when it was first doubted, min. */
  function doubtedAt(others: (minute: number) => readonly (readonly [number, number])[], by: QualityLimits = of, from = 20): number | null {
    let state = INITIAL_QUALITY_STATE;
    for (let minute = 0; minute <= 60; minute++) {
      const around: Surroundings = { supplyLow: false, others: () => others(minute) };
      const judged = judgeReading(by, state, { at: minute * MINUTE * 1000, value: from }, around);
      state = judged.state;
      if (judged.reason === 'stuck') return minute;
    }
    return null;
  }
  it('that stands still while most of the others move is stuck, long before its own habit says so', () => {
    expect(doubtedAt((minute) => [[7, 20 + minute / 5]])).toBe(30);
    // Four kelvin after the five minutes in which nothing is noted yet.
    expect(doubtedAt((minute) => [[7, 20 + minute / 10]])).toBe(45);
  });
  it('is not doubted where the others stand still, where few of them move, where there are none, or where it may rest', () => {
    expect(doubtedAt(() => [[7, 20]])).toBeNull();
    expect(
      doubtedAt((minute) => [
        [7, 20 + minute],
        [8, 20],
        [9, 21],
      ]),
    ).toBeNull();
    expect(
      doubtedAt((minute) => [
        [7, 20 + minute],
        [8, 20],
      ]),
    ).toBeNull();
    expect(doubtedAt(() => [])).toBeNull();
    expect(doubtedAt((minute) => [[7, 20 + minute]], { ...of, restsAt: 20 })).toBeNull();
    expect(doubtedAt((minute) => [[7, 20 + minute]], { ...of, stuckAfterMs: null })).toBeNull();
    expect(doubtedAt((minute) => [[7, 20 + minute]], { ...of, stuckBesideMs: null })).toBeNull();
  });
  it('an other that is not there any more says nothing', () => {
    expect(doubtedAt((minute) => (minute < 20 ? [[7, 20]] : [[8, 50]]))).toBeNull();
  });
  it('what moved and stands still again is held against where the others stood then', () => {
    let state = INITIAL_QUALITY_STATE;
    const at = (minute: number, value: number, other: number): string => {
      const judged = judgeReading(of, state, { at: minute * MINUTE * 1000, value }, { supplyLow: false, others: () => [[7, other]] });
      state = judged.state;
      return judged.reason ?? judged.quality;
    };
    for (let minute = 0; minute < 29; minute++) at(minute, 20, 20);
    expect(at(29, 20.1, 40)).toBe('good');
    for (let minute = 30; minute < 59; minute++) at(minute, 20.1, 40);
    expect(at(70, 20.1, 40)).toBe('good');
  });
  it('on too low a supply is suspect, and no better where it is worse already', () => {
    const low: Surroundings = { supplyLow: true, others: () => [] };
    expect(judgeReading(limits, INITIAL_QUALITY_STATE, { at: 1, value: 20 }, low)).toMatchObject({ quality: 'suspect', reason: 'supply' });
    expect(judgeReading(limits, INITIAL_QUALITY_STATE, { at: 1, value: 320 }, low)).toMatchObject({
      quality: 'bad',
      reason: 'out-of-range',
    });
  });
});
