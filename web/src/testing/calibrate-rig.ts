import { calibrate, watch, type Calibration } from '@dewpost/contract';
import { Calibrate } from '../calibrate/calibrate';
import { aCalibration, aNode, aPoint, NOON, Rig } from './rig';

export const POINT = aPoint({ id: 1, name: 'temperature', label: 'Air temperature', unit: '°C', min: 0, max: 40 });
export const kept = (change: Partial<Calibration> = {}): Calibration =>
  aCalibration({ captures: [{ raw: 20, reference: 21 }], coefficients: { gain: 1, offset: 1 }, uncertainty: 0.03, ...change });
export const readings = (...raws: number[]) => ({
  point: { id: 1, label: 'Air temperature', unit: '°C' },
  thinned: false,
  readings: raws.map((value, i) => [NOON + i * 1000, value, 0]),
  raw: raws.map((value) => [value, 0]),
});
/** The page of calibrations at this point, with what its node has said. */
export const openCalibrate = async (
  raws: number[],
  answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = [],
  change: object = {},
) => {
  const rig = await Rig.open(Calibrate, {
    snapshot: {
      nodes: [aNode()],
      points: [POINT],
      latest: [{ point: 1, at: NOON, value: 20, quality: 'good', reason: null, low: 19, high: 21, base: null }],
      ...change,
    },
    answers: [[calibrate.inForce, []], [calibrate.list, []], [watch.history, readings(...raws)], ...answers],
  });
  (rig.fixture.componentInstance as unknown as { pick(id: number): void }).pick(1);
  await rig.settle();
  await rig.settle();
  return rig;
};
