import * as fc from 'fast-check';
import { bucketOf, figuresOf, gapsOf, levelFor, merged, missingFrom, rebinned, type Bucket } from '.';

const DAY = 86_400_000;
const reading = fc.record({
  at: fc.integer({ min: 0, max: 3 * DAY }),
  value: fc.integer({ min: -500, max: 500 }),
  quality: fc.constantFrom('good', 'suspect', 'bad'),
  late: fc.boolean(),
} as const);
const readings = fc.uniqueArray(reading, { selector: ({ at }) => at, minLength: 1, maxLength: 60 });
const all = (buckets: readonly Bucket[]): Bucket => buckets.reduce(merged);

describe('stretches of a record', () => {
  it('any order and any batching gives what the readings give by themselves', () => {
    fc.assert(
      fc.property(readings, fc.integer({ min: 1, max: 7 }), (record, pieces) => {
        const sorted = [...record].sort((a, b) => a.at - b.at);
        const direct = all(sorted.map(bucketOf));
        const batches = Array.from({ length: pieces }, (_, i) => record.filter((_, at) => at % pieces === i)).filter(
          (batch) => batch.length > 0,
        );
        expect(all(batches.map((batch) => all(batch.map(bucketOf))))).toEqual(direct);
        const used = sorted.filter(({ quality }) => quality !== 'bad');
        expect([direct.count, direct.bad]).toEqual([used.length, sorted.length - used.length]);
        if (used.length === 0) return;
        expect(direct.low).toBe(Math.min(...used.map(({ value }) => value)));
        expect(direct.total).toBe(used.reduce((sum, { value }) => sum + value, 0));
        expect([direct.first, direct.last]).toEqual([used[0]?.value, used.at(-1)?.value]);
      }),
    );
  });
  it('days from quarters are days from readings', () => {
    fc.assert(
      fc.property(readings, (record) => {
        const own = [...record].sort((a, b) => a.at - b.at).map(bucketOf);
        expect(rebinned(rebinned(own, 0, 900_000), 0, DAY)).toEqual(rebinned(own, 0, DAY));
      }),
    );
  });
  it('bad readings count and say nothing of the value', () => {
    const [bin] = rebinned(
      [
        bucketOf({ at: 1, value: 20, quality: 'good', late: false }),
        bucketOf({ at: 2, value: 320, quality: 'bad', late: true }),
        bucketOf({ at: 3, value: 22, quality: 'suspect', late: false }),
      ],
      0,
      10,
    );
    expect(bin).toMatchObject({ at: 0, low: 20, high: 22, total: 42, count: 2, suspect: 1, bad: 1, late: 1, first: 20, last: 22 });
  });
  it.each([
    [3_600_000, 1500, 10, null],
    [DAY, 1500, 10, 'minute'],
    [DAY, 1500, 60, null],
    [7 * DAY, 1500, 60, 'quarter'],
    [60 * DAY, 1500, 10, 'quarter'],
    [365 * DAY, 1500, 10, 'day'],
    [365 * DAY, 2000, 10, 'quarter'],
  ])('%d ms into %d stretches at %d s: %s', (span, wanted, every, level) => expect(levelFor(span, wanted, every)).toBe(level));
});

describe('figures of a span', () => {
  const at = (i: number, value: number): Bucket => bucketOf({ at: i * 60_000, value, quality: 'good', late: false });
  it('mean, median and percentiles are those of the readings where each stretch is one', () => {
    const figures = figuresOf(Array.from({ length: 101 }, (_, i) => at(i, i)));
    expect(figures).toMatchObject({ mean: 50, median: 50, p05: 5, p95: 95, count: 101, suspect: 0 });
    expect([figures?.low.at, figures?.high.at]).toEqual([0, 6_000_000]);
  });
  it('a stretch weighs by its readings', () => {
    const heavy = Array.from({ length: 9 }, (_, i) => at(i, 10)).reduce(merged);
    expect(figuresOf([heavy, at(20, 90)])).toMatchObject({ mean: 18, median: 10, p95: 90 });
  });
  it('nothing that is used has no figures', () => {
    expect(figuresOf([])).toBeNull();
    expect(figuresOf([bucketOf({ at: 0, value: 9, quality: 'bad', late: false })])).toBeNull();
  });
  it('gaps are what is missing for longer than may be, at both ends too; bad readings are no gap', () => {
    const record = [at(10, 1), at(11, 1), bucketOf({ at: 12 * 60_000, value: 320, quality: 'bad', late: false }), at(30, 1)];
    expect(gapsOf(record, { from: 0, to: 32 * 60_000, width: 60_000, quiet: 180_000 })).toEqual([
      { from: 0, to: 600_000 },
      { from: 780_000, to: 1_800_000 },
    ]);
    expect(gapsOf([], { from: 0, to: 100, width: 10, quiet: 50 })).toEqual([{ from: 0, to: 100 }]);
  });
});

describe('what is missing', () => {
  const record = (minutes: readonly number[]): Bucket[] =>
    minutes.map((minute) => bucketOf({ at: minute * 60_000, value: 20, quality: 'good', late: false }));
  const quarters = (minutes: readonly number[]): Bucket[] => rebinned(record(minutes), 0, 900_000);
  const every = (step: number, until: number): number[] => Array.from({ length: Math.floor(until / step) }, (_, i) => i * step);
  const of = { width: 900_000, reportSeconds: 60, holds: false };

  it('is due by the node’s interval, at the end as between', () => {
    const minutes = every(1, 600).filter((minute) => minute < 60 || minute >= 120);
    expect(missingFrom(quarters(minutes), { ...of, to: 599 * 60_000 })).toEqual({
      gaps: [{ from: 59 * 60_000, to: 120 * 60_000 }],
      missing: 60,
    });
    expect(missingFrom(quarters(every(1, 600)), { ...of, to: 660 * 60_000 }).missing).toBe(60);
  });
  it('is not what another program kept more seldom: its own rhythm counts', () => {
    expect(missingFrom(quarters(every(60, 6000)), { ...of, reportSeconds: 5, to: 5940 * 60_000 })).toEqual({ gaps: [], missing: 0 });
    const hourly = every(60, 6000).filter((minute) => minute < 600 || minute >= 1200);
    expect(missingFrom(quarters(hourly), { ...of, reportSeconds: 5, to: 5940 * 60_000 }).missing).toBe(10);
    const tenMinutes = every(10, 6000).filter((minute) => minute < 600 || minute >= 1200);
    expect(missingFrom(quarters(tenMinutes), { ...of, reportSeconds: 5, to: 5990 * 60_000 }).missing).toBe(60);
  });
  it('is nothing before the first reading, without one, and of what reports when it changes', () => {
    expect(missingFrom([], { ...of, to: 1e9 })).toEqual({ gaps: [], missing: 0 });
    expect(missingFrom(quarters(every(1, 60)), { ...of, holds: true, to: 1e9 }).missing).toBe(0);
  });
});
