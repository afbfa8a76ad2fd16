import { calibrate, references, type Calibration } from '@dewpost/contract';
import { aCalibration, aNode, aPoint, NOON, Rig } from '../testing/rig';
import { ApiError } from '../data/api';
import { InheritLine } from './inherit-line';

const FROM = { from: 'loft-1, version 1', confirmedAt: null, confirmedBy: null };
const open = (inherited: Calibration['inherited'], answers: { copy?: unknown; confirm?: unknown } = {}) =>
  Rig.open(InheritLine, {
    snapshot: {
      nodes: [
        aNode({ id: 'loft-1' }),
        aNode({ id: 'loft-2' }),
        aNode({ id: 'cellar-1', sheet: 'Bed post' }),
        aNode({ id: 'feed', kind: 'source' }),
      ],
      points: ['loft-1', 'loft-2', 'cellar-1', 'feed'].map((node, i) => aPoint({ id: i + 1, node })),
    },
    answers: [
      [references.list, []],
      [calibrate.copy, answers.copy ?? []],
      [calibrate.confirm, answers.confirm ?? aCalibration({ inherited: { ...FROM, confirmedAt: NOON, confirmedBy: 'millwright' } })],
    ],
    inputs: { point: aPoint({ id: 1, node: 'loft-1' }), calibration: aCalibration({ inherited }) },
  });

it('one that was made here goes to nodes of its sheet and to no others; each refusal is said with its node', async () => {
  const rig = await open(null, {
    copy: [{ node: 'loft-2', version: null, refused: 'it has a calibration of its own: that is kept' }],
  });
  await expect(rig.fill('mat-select', 'cellar-1')).rejects.toThrow(/there is no cellar-1, only loft-2$/);
  await rig.fill('mat-select', 'loft-2');
  await rig.press('Copy');
  expect(rig.asked(calibrate.copy)).toEqual([{ params: { node: 'loft-1', point: 'humidity', version: 1 }, body: { nodes: ['loft-2'] } }]);
  expect(rig.text).toContain('0 nodes inherited it, to be confirmed there. Not loft-2: it has a calibration of its own: that is kept.');
});

it('an inherited one is confirmed by what a reference shows; too far apart keeps what was typed and says the figures', async () => {
  const rig = await open(FROM, { confirm: new ApiError(422, 'Humidity reads 60.0 %, by hand 70.0 %: 10.0 % apart, and 0.3 % may be.') });
  expect(rig.text).toContain('Inherited from loft-1, version 1: not confirmed here yet.');
  expect(() => rig.button('Copy')).toThrow();
  await expect(rig.press('Confirm')).rejects.toThrow(/cannot be pressed/);
  await rig.fill('input', '70');
  await rig.press('Confirm');
  expect(rig.asked(calibrate.confirm)).toEqual([
    { params: { node: 'loft-1', point: 'humidity', version: 1 }, body: { shows: 70, instrument: null } },
  ]);
  expect(rig.text).toContain('10.0 % apart');
  expect(rig.element.querySelector('input')?.value).toBe('70');
});

it('one that was confirmed says by whom', async () => {
  const rig = await open({ ...FROM, confirmedAt: NOON, confirmedBy: 'baker' });
  expect(rig.text).toContain('confirmed here by baker');
  expect(() => rig.button('Confirm')).toThrow();
});
