import { boardProfileSchema } from '../circuit';
import { nodeConfigurationSchema } from '../wire';
import { preflight, type Preflight } from '.';

const board = boardProfileSchema.parse({
  format: 1,
  kind: 'board',
  id: 'a-board',
  name: 'A board',
  origin: 'memory',
  logicVolts: 3.3,
  supplyVolts: [3, 5],
  pinMilliamps: 20,
  regulatorMilliamps: 500,
  adc: { bits: 12, fullScaleVolts: 3.1, sourceOhmsMax: 10_000, unitLostToRadio: null },
  draw: { sleepMicroamps: 10, activeMilliamps: 50, transmitMilliamps: 200, bootSeconds: 0.3, joinSeconds: 2 },
  firstWrite: 'this protocol',
  watchdog: true,
  pins: [
    { name: '1', can: ['in'] },
    { name: '2', can: ['in'] },
  ],
  price: 5,
});
const configuration = nodeConfigurationSchema.parse({
  revision: 1,
  node: 'loft-1',
  key: 'a-secret-of-22-letters',
  room: 'Loft',
  sheet: 'Post',
  broker: { host: '192.168.7.10', port: 1883 },
  networks: [{ name: 'wrenfold', passphrase: 'under the mill wheel' }],
  reportSeconds: 30,
  points: [{ name: 'temperature', unit: '°C' }],
  outputs: [],
});
const given = (more: Partial<Preflight> = {}): Preflight => ({
  node: 'loft-1',
  configuration,
  board,
  image: { name: 'ownnode', version: '1.0.0', board: 'a-board', bytes: 90_000, minimumRevision: 1 },
  imageProblem: null,
  sheetChecks: [],
  addressProblem: null,
  thresholds: [],
  fitted: false,
  elsewhere: false,
  standin: false,
  ...more,
});
const wrong = (more: Partial<Preflight>): string[] =>
  preflight(given(more)).flatMap((one) => (one.verdict === 'pass' ? [] : [`${one.verdict} ${one.title}`]));

describe('before writing', () => {
  it('nothing is wrong with a node that is right', () => {
    expect(wrong({})).toEqual([]);
    expect(preflight(given()).length).toBeGreaterThan(1);
  });
  it.each([
    ['an image of another board', { image: { ...given().image!, board: 'other' } }, ['fail Image']],
    ['no image', { image: null, imageProblem: 'none' }, ['fail Image']],
    ['a node that runs and is armed', { fitted: true }, ['warn Fitted']],
    ['an image larger than the slot', { image: { ...given().image!, bytes: 2_000_000 } }, ['fail Slot']],
    ['an image that reads later configurations only', { image: { ...given().image!, minimumRevision: 3 } }, ['fail Revision']],
    ['a sheet that was not drawn here', { board: null }, ['warn Image']],
    ['a configuration larger than the store', { board: { ...board, storeBytes: 100 } }, ['fail Store']],
    ['a broker on this computer', { configuration: { ...configuration, broker: { host: '127.0.0.1', port: 1883 } } }, ['fail Broker']],
    [
      'a network that sounds like 5 GHz',
      { configuration: { ...configuration, networks: [{ name: 'mill 5G', passphrase: 'under the mill wheel' }] } },
      ['warn Network'],
    ],
    ['an address that is taken', { addressProblem: '192.168.7.20 is loft-2’s.' }, ['fail Address']],
    [
      'a threshold its sensor never reaches',
      { thresholds: [{ point: 'temperature', setpoint: 300, physicalMin: -40, physicalMax: 85 }] },
      ['fail Threshold'],
    ],
    [
      'a sheet that fails and warns',
      {
        sheetChecks: (['warn', 'fail', 'pass'] as const).map((verdict) => ({
          id: verdict,
          verdict,
          title: 'T',
          figure: '1',
          limit: '2',
          reason: 'R.',
          at: '',
        })),
      },
      ['fail Sheet', 'warn Sheet'],
    ],
  ] as const)('says so of %s', (_what, more, says) => {
    expect(wrong(more as Partial<Preflight>)).toEqual(says);
  });
  it('a stand-in may have its broker on this computer', () => {
    expect(wrong({ standin: true, configuration: { ...configuration, broker: { host: '127.0.0.1', port: 1883 } } })).toEqual([]);
  });
});
