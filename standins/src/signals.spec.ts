import { signalValue } from './signals';

const SIGNALS = {
  'soil-moisture': { value: 30, swing: 0, swingSeconds: 60, noise: 0, decimals: 1, counts: { gain: -50, offset: 3000 } },
};
const still = (): number => 0.5;

describe('what a stand-in sensor gives', () => {
  it('is the quantity where its point is told in that, and counts of its own converter where it is told in counts', () => {
    expect(signalValue(SIGNALS, 'bed-1', 'soil-moisture', '%', 0, still)).toBe(30);
    const counts = ['soil-moisture', 'soil-moisture-2', 'soil-moisture-3'].map((point) =>
      signalValue(SIGNALS, 'bed-1', point, 'counts', 0, still),
    );
    for (const value of counts) {
      expect(Math.abs((value ?? 0) - 1500)).toBeLessThanOrEqual(45);
      expect(Number.isInteger(value)).toBe(true);
    }
    // A hidden truth of each: one calibration does not fit the next.
    expect(new Set(counts).size).toBe(3);
    expect(signalValue(SIGNALS, 'bed-1', 'soil-moisture', 'counts', 999_999, still)).toBe(counts[0]);
  });
  it('is nothing where the world knows nothing of it', () => {
    expect(signalValue(SIGNALS, 'bed-1', 'mass', 'kg', 0, still)).toBeNull();
  });
});
