import fc from 'fast-check';
import {
  channelMegahertz,
  floorLossDb,
  freeSpaceLossDb,
  marginForOutage,
  receivedDbm,
  sendsForDelivery,
  burstDelivery,
  shadowingOutage,
  siteGeneralLossDb,
} from '.';

describe('path loss', () => {
  it('free space: twice as far is 6.02 dB more, at any frequency (ITU-R P.525)', () => {
    fc.assert(
      fc.property(fc.double({ min: 1, max: 1000, noNaN: true }), fc.constantFrom(2412, 2437, 5180), (metres, megahertz) => {
        expect(freeSpaceLossDb(megahertz, 2 * metres) - freeSpaceLossDb(megahertz, metres)).toBeCloseTo(20 * Math.log10(2), 9);
      }),
    );
  });
  it('indoors grows faster than free space and each floor costs less than the one before (ITU-R P.1238, COST 231)', () => {
    expect(siteGeneralLossDb(2437, 30, 28, 0) - siteGeneralLossDb(2437, 3, 28, 0)).toBeCloseTo(28, 9);
    const floors = [1, 2, 3, 4].map((k) => floorLossDb(k) - floorLossDb(k - 1));
    expect([...floors].sort((a, b) => b - a)).toEqual(floors);
  });
  it('channels that do not exist have no frequency', () => {
    expect([channelMegahertz(2.4, 0), channelMegahertz(2.4, 15), channelMegahertz(5, 200), channelMegahertz(2.4, 6.5)]).toEqual([
      null,
      null,
      null,
      null,
    ]);
  });
});

describe('fading and repeats', () => {
  it('the margin for an outage gives that outage', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.001, max: 0.999, noNaN: true }), fc.double({ min: 2, max: 12, noNaN: true }), (outage, sigma) => {
        expect(shadowingOutage(marginForOutage(outage, sigma), sigma)).toBeCloseTo(outage, 6);
      }),
    );
  });
  it('the sends for a chance are enough, and one fewer is not', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.02, max: 0.9, noNaN: true }), fc.double({ min: 0.5, max: 0.9999, noNaN: true }), (loss, target) => {
        const sends = sendsForDelivery(loss, target);
        expect(burstDelivery(loss, sends)).toBeGreaterThanOrEqual(target - 1e-9);
        if (sends > 1) expect(burstDelivery(loss, sends - 1)).toBeLessThan(target);
      }),
    );
  });
  it('a link is the same in both directions but for what each side sends', () => {
    expect(receivedDbm(20, 2, 0, 80) - receivedDbm(14, 0, 2, 80)).toBe(6);
  });
});
