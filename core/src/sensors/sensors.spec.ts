import fc from 'fast-check';
import {
  airFrameInBytes,
  airFrameInTenths,
  airWordPercent,
  crc8OneWire,
  lineThrough,
  platinumCelsius,
  platinumOhms,
  scaleReading,
  senderOhms,
  senderVolts,
  soilWaterFraction,
  SOIL_TEXTURES,
  steinhartHartCelsius,
  steinhartHartFrom,
  thermistorCelsius,
  thermistorOhms,
  thermometerCelsius,
  twelvePascals,
  plantAvailableShare,
} from '.';

/** kΩ by °C of a 10 kΩ thermistor. Source: Murata NCP…XH103 table. */
const TABLE = [
  [-40, 195.652],
  [-20, 68.237],
  [-10, 42.506],
  [0, 27.219],
  [10, 17.926],
  [20, 12.081],
  [25, 10],
  [30, 8.315],
  [40, 5.834],
  [50, 4.161],
  [60, 3.014],
] as const;

describe('resistance as temperature', () => {
  it('three points of a thermistor’s table give the rest of it within 0.25 K from −20 to 60 °C; one Beta does not', () => {
    const curve = steinhartHartFrom([
      [0, 27_219],
      [25, 10_000],
      [50, 4161],
    ])!;
    const off = TABLE.filter(([t]) => t >= -20).map(([t, kiloohms]) => Math.abs(steinhartHartCelsius(kiloohms * 1000, curve)! - t));
    expect(Math.max(...off)).toBeLessThan(0.25);
    expect(Math.abs(thermistorCelsius(68_237, 10_000, 3380)! + 20)).toBeGreaterThan(1.5);
  });
  it('comes back from what it came from', () => {
    fc.assert(
      fc.property(fc.double({ min: -40, max: 120, noNaN: true }), (t) => {
        expect(thermistorCelsius(thermistorOhms(t, 10_000, 3950), 10_000, 3950)).toBeCloseTo(t, 6);
      }),
    );
    fc.assert(
      fc.property(fc.double({ min: -200, max: 850, noNaN: true }), fc.constantFrom(100, 500, 1000), (t, zero) => {
        expect(platinumCelsius(platinumOhms(t, zero)!, zero)).toBeCloseTo(t, 4);
      }),
    );
    fc.assert(
      fc.property(fc.double({ min: 1, max: 500, noNaN: true }), (ohms) => {
        expect(senderOhms(senderVolts(ohms, 3.3, 220), 3.3, 220)).toBeCloseTo(ohms, 6);
      }),
    );
  });
  it('open and shorted ones are no temperature', () => {
    for (const ohms of [0, -1, Infinity, NaN]) {
      expect(thermistorCelsius(ohms, 10_000, 3950)).toBeNull();
      expect(steinhartHartCelsius(ohms, { a: 1e-3, b: 2e-4, c: 1e-7 })).toBeNull();
      expect(platinumCelsius(ohms)).toBeNull();
    }
    expect([platinumOhms(-201), platinumOhms(851), platinumCelsius(400)]).toEqual([null, null, null]);
    expect([senderOhms(3.3, 3.3, 220), senderOhms(0, 3.3, 220)]).toEqual([null, null]);
    expect([
      steinhartHartFrom([
        [0, 1],
        [25, 1],
        [50, 1],
      ]),
      steinhartHartFrom([[0, 100]]),
      steinhartHartFrom([
        [0, -1],
        [25, 2],
        [50, 3],
      ]),
    ]).toEqual([null, null, null]);
  });
});

describe('bytes of sensors', () => {
  it('a spoiled sum is told, and a frame of another length is none', () => {
    expect(airFrameInTenths(Uint8Array.from([2, 0x8c, 1, 0x5f, 0xee]))).toEqual({ percent: 65.2, celsius: 35.1, sumRight: true });
    expect(airFrameInTenths(Uint8Array.from([2, 0x8c, 1, 0x5f, 0xef]))!.sumRight).toBe(false);
    expect([airFrameInTenths(Uint8Array.from([1])), airFrameInBytes(Uint8Array.from([1, 2, 3, 4, 5, 6]))]).toEqual([null, null]);
    expect(airFrameInBytes(Uint8Array.from([40, 0, 3, 0x85, 0xb0]))!.celsius).toBe(-3.5);
  });
  it('a thermometer’s register is two’s complement; humidity stays within 0 and 100', () => {
    expect([0x07d0, 0xff5e, 0xfc90, 0x0550].map(thermometerCelsius)).toEqual([125, -10.125, -55, 85]);
    expect([airWordPercent(0), airWordPercent(65_535)]).toEqual([0, 100]);
  });
  it('all zeros pass a checksum that begins with nothing: known, and to be refused beside it', () => {
    expect(crc8OneWire(new Uint8Array(8))).toBe(0);
  });
  it('coefficients that cannot be give no pressure', () => {
    expect(twelvePascals({ t: [0, 0, 0], p: [0, 0, 0, 0, 0, 0, 0, 0, 0] }, 0, 400_000)).toBeNull();
  });
});

describe('levels, scales and soil', () => {
  it('keep what lies outside, so that a fault is seen, and give nothing of one point', () => {
    expect(lineThrough(250, [240, 0], [33, 100])!).toBeLessThan(0);
    expect([lineThrough(1, [5, 0], [5, 100]), scaleReading(1, 5, 5, 10), plantAvailableShare(0.2, 0.1, 0.1)]).toEqual([null, null, null]);
    expect([soilWaterFraction(2.9), soilWaterFraction(41), soilWaterFraction(NaN)]).toEqual([null, null, null]);
  });
  it('every texture holds more at field capacity than at the wilting point (FAO-56 Table 19)', () => {
    expect(SOIL_TEXTURES).toHaveLength(9);
    for (const { fieldCapacity, wiltingPoint } of SOIL_TEXTURES) {
      expect(fieldCapacity[0]).toBeGreaterThan(wiltingPoint[0]);
      expect(fieldCapacity[1]).toBeGreaterThan(wiltingPoint[1]);
    }
  });
});
