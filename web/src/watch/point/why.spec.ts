import type { Calibration, Latest } from '@dewpost/contract';
import { aCalibration, aPoint, NOON } from '../../testing/rig';
import { because } from './why';

const latest = (change: Partial<Latest> = {}): Latest => ({
  ...{ point: 1, at: NOON, value: 31, quality: 'good', reason: null, low: null, high: null, base: null },
  ...change,
});
const version = (change: Partial<Calibration> = {}): Calibration =>
  aCalibration({
    ...{ method: 'two-point', captures: [], coefficients: { gain: -0.02, offset: 61 }, uncertainty: 0.6, from: NOON - 1000 },
    ...change,
  });
const COUNTS = { unit: 'counts', min: 0, max: 4095, step: 1, direction: 'falls' as const, nominal: null };
const bed = aPoint({ unit: '%', decimals: 0, raw: COUNTS });
const words = (...given: Parameters<typeof because>): Record<string, string> =>
  Object.fromEntries(because(...given).map((line) => [line.what, line.words]));
const asIs = (name: string): string => name;

describe('why a point shows what it shows', () => {
  it('down to the raw value, with its conversion, uncertainty and quality', () => {
    expect(words(bed, latest(), 1500, [version()], asIs)).toEqual({
      shows: '31 %',
      within: '± 0.6 %, one standard uncertainty',
      converted: 'version 1: raw × −0.02 + 61, by millwright',
      raw: '1\u2009500 counts',
      quality: 'good',
    });
  });
  it('the version in force then, not the newest; withdrawn ones convert nothing', () => {
    const later = version({ version: 2, from: NOON + 1 });
    const gone = version({ version: 3, from: NOON - 10, withdrawnAt: NOON });
    expect(words(bed, latest(), 1500, [gone, later, version()], asIs)['converted']).toMatch(/^version 1/);
  });
  it('what nothing converts is said to come as it is; what needs no conversion too', () => {
    const bare = aPoint({ unit: 'counts', uncalibrated: true, raw: COUNTS, decimals: 0 });
    expect(words(bare, latest({ value: 1500 }), 1500, [], asIs)).toMatchObject({
      shows: '1\u2009500 counts',
      converted: expect.stringContaining('nothing yet') as string,
    });
    expect(words(aPoint(), latest(), 31, [], asIs)).toMatchObject({ converted: 'by nothing: the node sends it so', raw: '31.00 %' });
  });
  it('what is computed names its formula, its source and what it is computed from; no raw value', () => {
    const dew = aPoint({ kind: 'derived', unit: '°C', derived: { quantity: 'dew-point', from: ['temperature', 'humidity'] } });
    const said = words(dew, latest({ value: 9.3 }), 9.3, [], (name) => `air ${name}`);
    expect(said['computed']).toMatch(/from air temperature and relative humidity: air temperature and air humidity$/);
    expect(said['source']).toMatch(/WMO-No. 8/);
    expect(said['raw']).toBeUndefined();
  });
  it('what is not good says why', () => {
    expect(words(bed, latest({ quality: 'suspect', reason: 'rail' }), 0, [version()], asIs)['quality']).toBe(
      'suspect: pinned at an end of what the converter can give',
    );
  });
});
