import { contactYears, wearAfter, wearFigures, type Wear } from '.';

const H = 3_600_000;
const DAY = 24 * H;
const run = (...events: [at: number, on: boolean][]): Wear => {
  let wear: Wear | null = null;
  for (const [at, on] of events) wear = wearAfter(wear, on, at, at);
  return wear!;
};

describe('the wear of an output', () => {
  it('counts a start once, however often it is read back, and how long it ran', () => {
    const wear = run([0, false], [H, true], [1.5 * H, true], [3 * H, false], [3 * H, false], [5 * H, true]);
    expect([wear.starts, wear.runMs, wear.onSince]).toEqual([2, 2 * H, 5 * H]);
    expect(wearFigures(wear, 6 * H).runHours).toBe(3);
  });
  it('goes by when it moved, as its node says; never before it was counted, nor ahead of now', () => {
    const first = wearAfter(null, true, -9 * H, H);
    expect(first).toEqual({ starts: 1, runMs: 0, since: H, onSince: H });
    expect(wearAfter(first, false, 9 * H, 2 * H).runMs).toBe(H);
  });
  // check-values 10.2-02: 100 000 operations at 180 a day are 1.52 years.
  it('lasts as long as its pace leaves of its rated operations', () => {
    const wear: Wear = { starts: 180 * 10, runMs: 0, since: 0, onSince: null };
    const left = wearFigures(wear, 10 * DAY).yearsLeft!;
    expect(left).toBeCloseTo(contactYears(100_000 - 1800, 180), 6);
    expect(contactYears(100_000, 180)).toBeCloseTo(1.52, 2);
    expect(wearFigures({ ...wear, starts: 100_001 }, 10 * DAY).yearsLeft).toBe(0);
  });
  it('says nothing of what it has counted for less than a day, or of what never starts', () => {
    expect(wearFigures({ starts: 40, runMs: 0, since: 0, onSince: null }, 23 * H).yearsLeft).toBeNull();
    expect(wearFigures({ starts: 0, runMs: 0, since: 0, onSince: null }, 30 * DAY).yearsLeft).toBeNull();
  });
});
