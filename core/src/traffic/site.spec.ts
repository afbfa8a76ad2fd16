import fc from 'fast-check';
import { breakEven, partsList } from '../cost';
import { answeredDelivery, burstDelivery, burstyDelivery } from '../radio';
import { againstCap, megabytesPerMonth, remainingLength, siteTraffic, wireBytesOf, withRollups, type Sender } from '.';

const node = (id: string, reportSeconds: number, points = 3): Sender => ({ id, reportSeconds, points });

describe('a site’s traffic', () => {
  it('two nodes that post every 15 s already exceed 100 posts in 15 minutes (common practice)', () => {
    const cap = { posts: 100, windowSeconds: 900, bytes: 1000, points: 8 };
    expect(againstCap([node('a', 15)], cap)).toMatchObject({ posts: 60, fits: true });
    expect(againstCap([node('a', 15), node('b', 15)], cap)).toMatchObject({ posts: 120, fits: false, slowestFactor: 1.2 });
  });
  it('what a cap advises keeps within it, and where no interval does it says so', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 5, max: 2000 }), { minLength: 1, maxLength: 30 }),
        fc.integer({ min: 1, max: 60 }),
        (intervals, posts) => {
          const senders = intervals.map((seconds, i) => node(`n${i}`, seconds));
          const cap = { posts, windowSeconds: 900, bytes: 1000, points: 8 };
          const { slowestFactor: factor } = againstCap(senders, cap);
          const slower = (by: number): boolean =>
            againstCap(
              senders.map((one) => ({ ...one, reportSeconds: one.reportSeconds * by })),
              cap,
            ).fits;
          if (factor === null) return expect(senders.length).toBeGreaterThan(posts);
          expect(slower(factor)).toBe(true);
          if (factor > 1) expect(slower(factor - 0.01)).toBe(false);
        },
      ),
      { numRuns: 200, seed: 3 },
    );
  });
  it('what sleeps or speaks through a gateway sends no keep-alives; datagrams are the least of all', () => {
    const leaf: Sender = { ...node('weir-gate', 3600), link: 'through a gateway' };
    expect(megabytesPerMonth([leaf], 'MQTT')).toBeCloseTo((24 * 30 * wireBytesOf(leaf, 'MQTT')) / 1e6, 12);
    expect(megabytesPerMonth([leaf], 'datagrams')).toBeLessThan(megabytesPerMonth([leaf], 'MQTT'));
    const wakes: Sender = { ...leaf, link: 'at every wake' };
    expect(wireBytesOf(wakes, 'MQTT over TLS')).toBeGreaterThan(wireBytesOf(leaf, 'MQTT over TLS') + 4000);
    expect(megabytesPerMonth([wakes], 'MQTT')).toBeLessThan(megabytesPerMonth([node('weir-gate', 3600)], 'MQTT'));
  });
  it('a cap counts points of a post too', () => {
    const cap = { posts: 1000, windowSeconds: 900, bytes: 5000, points: 8 };
    expect(againstCap([node('a', 60, 8)], cap)).toMatchObject({ pointsFit: true, mostPoints: 8 });
    expect(againstCap([node('a', 60, 3), node('b', 60, 9)], cap)).toMatchObject({ pointsFit: false, mostPoints: 9 });
  });
  it('rollups of a fast point are small beside a year of its readings, and of a slow one no more than its readings', () => {
    const fast = [node('a', 5)];
    expect(withRollups(fast, 30).megabytesPerYear).toBeLessThan(siteTraffic(fast).megabytesPerYear / 3);
    // A day has one row of days, 96 of quarter hours and 1440 of minutes a point.
    expect(withRollups(fast, 0).rowsPerYear).toBeCloseTo(365 * 3 * (1 + 96 + 1440), 6);
    expect(withRollups([node('b', 43_200)], 0).rowsPerYear).toBeCloseTo(365 * 3 * (1 + 2), 6);
  });
  it('repeats until answered reach as far as four sends and cost little more than one', () => {
    for (const loss of [0.05, 0.3, 0.6]) {
      const { chance, sends } = answeredDelivery(loss, 2, [0.1, 1, 10]);
      expect(chance).toBeGreaterThan(burstyDelivery(loss, 2, 4, 0.1));
      expect(chance).toBeLessThan(1 - loss ** 4);
      expect(sends).toBeLessThan(1 + 3 * loss);
    }
    expect(answeredDelivery(0.3, 2, []).chance).toBeCloseTo(0.7, 9);
    // Evenly spaced it is the same chain.
    expect(answeredDelivery(0.3, 2, [1, 1, 1]).chance).toBeCloseTo(burstyDelivery(0.3, 2, 4, 1), 9);
  });
  it('adds up over the nodes', () => {
    const all = siteTraffic([node('a', 60, 4), node('b', 30, 2)]);
    expect(all).toMatchObject({ messagesPerMinute: 3, messagesPerDay: 4320, rowsPerDay: 4 * 1440 + 2 * 2880 });
    expect(all.megabytesPerYear).toBeGreaterThan(200);
  });
  it('a connection a post costs more than a standing one, and TLS more than none', () => {
    const one = node('weir-1', 600);
    const bytes = (['MQTT', 'MQTT over TLS', 'HTTP, a connection a post', 'HTTP over TLS, a connection a post'] as const).map((carrier) =>
      wireBytesOf(one, carrier),
    );
    expect([...bytes].sort((a, b) => a - b)).toEqual(bytes);
    // Keep-alives of a node that reports rarely outweigh its reports.
    expect(megabytesPerMonth([node('a', 3600)], 'MQTT')).toBeGreaterThan((24 * 30 * wireBytesOf(node('a', 3600), 'MQTT')) / 1e6);
  });
  it('a remaining length comes back from its bytes (MQTT 3.1.1 §2.2.3)', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 268_435_455 }), (n) => {
        const bytes = remainingLength(n);
        expect(bytes.reduce((sum, byte, i) => sum + (byte & 127) * 128 ** i, 0)).toBe(n);
        expect(bytes.every((byte, i) => byte > 127 === i < bytes.length - 1)).toBe(true);
      }),
    );
  });
});

describe('a repeated burst', () => {
  it('ten copies within one fade are hardly better than one; spaced by seconds they are as good as independent', () => {
    expect(burstyDelivery(0.3, 2, 10, 0.01)).toBeLessThan(0.75);
    expect(burstyDelivery(0.3, 2, 4, 60)).toBeCloseTo(burstDelivery(0.3, 4), 3);
    expect(burstyDelivery(0.3, 2, 1, 1)).toBeCloseTo(0.7, 9);
  });
});

describe('what it costs', () => {
  const batches = [
    {
      nodes: 10,
      items: [
        { name: 'board', price: 5 },
        { name: 'sensor', price: 3 },
      ],
    },
    { nodes: 4, items: [{ name: 'board', price: 5 }] },
  ];
  it('counts every part over all nodes, spares rounded up', () => {
    expect(partsList(batches, 10)).toEqual([
      { name: 'board', quantity: 16, price: 5, sum: 80 },
      { name: 'sensor', quantity: 11, price: 3, sum: 33 },
    ]);
    expect(partsList(batches, 0).reduce((sum, line) => sum + line.sum, 0)).toBe(100);
  });
  it('takes the price of the quantity, and more than is needed where that costs less in all', () => {
    const reed = {
      name: 'reed',
      price: 2,
      priceBreaks: [
        { from: 10, price: 1.5 },
        { from: 100, price: 1 },
      ],
    };
    const bought = (nodes: number) => partsList([{ nodes, items: [reed] }], 0)[0];
    expect(bought(5)).toMatchObject({ quantity: 5, price: 2, sum: 10 });
    expect(bought(9)).toMatchObject({ quantity: 10, price: 1.5, sum: 15 });
    expect(bought(12)).toMatchObject({ quantity: 12, price: 1.5, sum: 18 });
    expect(bought(70)).toMatchObject({ quantity: 100, price: 1, sum: 100 });
    expect(bought(120)).toMatchObject({ quantity: 120, sum: 120 });
  });
  it('pays for itself at once, later by the yearly fees, or never', () => {
    const buying = { unitPrice: 50, yearlyFee: 12, hoursPerNode: 1, hourlyWorth: 20 };
    expect(breakEven(113, 14, buying)).toEqual({ savedAtOnce: 307, months: 0 });
    expect(breakEven(113, 14, { ...buying, hourlyWorth: 60 }).months).toBeCloseTo((253 / 168) * 12, 9);
    expect(breakEven(113, 14, { ...buying, hourlyWorth: 60, yearlyFee: 0 }).months).toBeNull();
  });
});
