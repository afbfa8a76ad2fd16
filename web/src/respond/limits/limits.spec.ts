import { respond } from '@dewpost/contract';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { ApiError } from '../../data/api';
import { aNode, aPoint, aRelay, NOON, Rig } from '../../testing/rig';
import { LimitsDialog } from './limits-dialog';
import { limitsOfDraft, limitsWords } from './limits-form';

const PUMP = aPoint({ id: 5, name: 'pump', label: 'Pump', kind: 'switched', unit: '' });
const METER = aPoint({ id: 6, name: 'meter', label: 'Water meter', unit: 'm³' });
const HATCH = aPoint({ id: 7, name: 'open', label: 'Hatch open', unit: '', min: 0, max: 1, decimals: 0, confirm: 'hold' });
const LIMITS = {
  ...{ version: 2, seconds: 3600, starts: 1, litres: 40, meter: 6 },
  forbids: [{ point: 1, side: 'high' as const, setpoint: 90 }],
};
const MIDNIGHT = NOON - 12 * 3_600_000;

it('limits are said with what the day has used of them', () => {
  const today = { day: MIDNIGHT, runMs: 600_000, starts: 1, onSince: NOON - 120_000 };
  const words = (change: object): string =>
    limitsWords(aRelay({ point: 5, ...change }), NOON, MIDNIGHT, { 1: aPoint(), 6: METER, 7: HATCH }, (node) => node);
  expect(words({ limits: LIMITS, today })).toBe(
    'Today 12 of 60 min, 1 of 1 start, at most 40 l by water meter, loft-climate; never while humidity, loft-climate is at or above 90.0 %',
  );
  expect(words({ limits: { ...LIMITS, seconds: null, starts: null, litres: null, forbids: [] } })).toBe('');
  const contact = (side: 'high' | 'low') =>
    words({ limits: { ...LIMITS, seconds: null, starts: null, litres: null, forbids: [{ point: 7, side, setpoint: 0.5 }] } });
  expect([contact('high'), contact('low')]).toEqual(['never while hatch open, loft-climate', 'never while not hatch open, loft-climate']);
  expect(words({ limits: null })).toBe('');
  // A meter without litres is no limit.
  expect(limitsOfDraft({ minutes: 1.5, starts: null, litres: null, meter: 6, forbids: [] })).toMatchObject({ seconds: 90, meter: null });
});

describe('the dialog of limits', () => {
  const close = jest.fn();
  const open = (limits: typeof LIMITS | null, answer: unknown) =>
    Rig.open(LimitsDialog, {
      snapshot: { nodes: [aNode()], points: [PUMP, METER, aPoint()] },
      answers: [[respond.setLimits, answer]],
      providers: [
        { provide: MAT_DIALOG_DATA, useValue: { point: PUMP, limits } },
        { provide: MatDialogRef, useValue: { close } },
      ],
    });
  beforeEach(() => close.mockClear());

  it('lays down what was typed; a condition without a level is not sent', async () => {
    const rig = await open(null, aRelay());
    await rig.fill('#l-minutes', '30');
    await rig.fill('#l-litres', '40');
    await rig.fill('#l-meter', 'Water meter, loft-climate');
    await rig.press('Add a condition');
    await rig.press('Lay them down');
    expect([rig.asked(respond.setLimits), rig.text.includes('choose a point')]).toEqual([[], true]);
    await rig.press('Remove condition 1');
    await rig.press('Lay them down');
    expect(rig.asked(respond.setLimits)[0]).toMatchObject({
      params: { id: 5 },
      body: { seconds: 1800, starts: null, litres: 40, meter: 6, forbids: [], from: 0 },
    });
    expect(close).toHaveBeenCalled();
  });
  it('somebody who was faster is shown beside, and what was typed stays', async () => {
    const theirs = aRelay({ point: 5, limits: { ...LIMITS, version: 3, starts: 9 } });
    const rig = await open(LIMITS, new ApiError(409, 'Another version is in force.', [], theirs));
    await rig.fill('#l-starts', '4');
    await rig.press('Lay them down');
    expect([close.mock.calls.length, rig.text.includes('These limits')]).toEqual([0, true]);
    expect(rig.element.querySelector<HTMLInputElement>('#l-starts')!.value).toBe('4');
  });
  it('what the server refuses stands at its field', async () => {
    const refused = new ApiError(422, 'no', [{ path: 'body.meter', message: 'Litres are counted by a meter: choose its point.' }]);
    const rig = await open(LIMITS, refused);
    await rig.press('Lay them down');
    expect(rig.text).toContain('choose its point');
    expect(close).not.toHaveBeenCalled();
  });
});
