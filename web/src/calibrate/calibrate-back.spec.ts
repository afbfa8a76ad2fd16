import { calibrate, type Calibration } from '@dewpost/contract';
import { ApiError } from '../data/api';
import { aPoint, NOON } from '../testing/rig';
import { kept, openCalibrate, POINT } from '../testing/calibrate-rig';

describe('a calibration that reaches back', () => {
  const CAPTURED = [20.0, 20.01, 20.02, 20.03, 20.04];
  it('is asked from when on; all of its record is before anything that is stored, and now is nothing', async () => {
    const rig = await openCalibrate(CAPTURED, [
      [calibrate.add, { ...kept(), residuals: [], rSquared: null, leaveOneOut: null, reconverted: 7 }],
    ]);
    const page = rig.fixture.componentInstance as unknown as { since: { set(to: string): void }; then: { set(to: number): void } };
    const keepFrom = async (since: string, then?: number): Promise<unknown> => {
      await rig.fill('#c-reference', '21');
      await rig.press('Capture');
      page.since.set(since);
      if (then !== undefined) page.then.set(then);
      await rig.settle();
      await rig.press('Keep it');
      return (rig.asked(calibrate.add).at(-1)?.body as { from?: number }).from;
    };
    expect(await keepFrom('now')).toBeUndefined();
    expect(await keepFrom('then', NOON - 1000)).toBe(NOON - 1000);
    expect(rig.text).toContain('In force from then on.');
    expect(await keepFrom('ever')).toBe(Date.UTC(2000, 0, 1));
    expect(rig.text).toContain('All of its record is converted by it.');
  });

  it('what was chosen for one point, and what was read of it, is nothing of the next', async () => {
    const other = aPoint({ id: 2, name: 'temperature-2', label: 'Beam', unit: '°C', min: 0, max: 40 });
    const lists = ({ params }: { params?: Record<string, unknown> }): Calibration[] =>
      params?.['point'] === POINT.name ? [kept({ version: 7 })] : [];
    const rig = await openCalibrate(
      CAPTURED,
      [
        [calibrate.list, lists],
        [calibrate.add, new ApiError(503, 'away')],
      ],
      { points: [POINT, other] },
    );
    const page = rig.fixture.componentInstance as unknown as { since: { set(to: string): void }; pick(id: number): void };
    expect(rig.text).toContain('Version 7');
    page.since.set('ever');
    page.pick(2);
    await rig.settle();
    await rig.settle();
    expect(rig.text).not.toContain('Version 7');
    await rig.fill('#c-reference', '21');
    await rig.press('Capture');
    await rig.press('Keep it');
    const body = rig.asked(calibrate.add)[0]?.body as { from?: number; after: number };
    expect([body.from, body.after]).toEqual([undefined, 0]);
  });

  it('says how far it is while its record is converted, and is called off by withdrawing it', async () => {
    const rig = await openCalibrate(CAPTURED, [
      [calibrate.list, [kept({ settling: 0.437 })]],
      [calibrate.withdraw, { reconverted: 0, settling: null }],
    ]);
    expect(rig.text).toContain('its record is converted anew: 43 %');
    await rig.press('Call it off version 1');
    expect(rig.asked(calibrate.withdraw)).toHaveLength(1);
  });
});

describe('a point that follows a law', () => {
  const bath = aPoint({
    ...{ id: 1, name: 'temperature', label: 'Water', unit: 'mV', max: 3300, decimals: 0, uncalibrated: true },
    raw: { unit: 'mV', min: 0, max: 3300, step: 1, direction: 'falls', nominal: null },
    calibratesTo: { unit: '°C', min: 0, max: 60, decimals: 1 },
    judging: { physicalMin: -40, physicalMax: 120, spikeStep: 8, spikeWindow: null, stuckAfterSeconds: 43_200, restsAt: null },
  });
  it('is asked what it is wired with, in its raw unit; then it is kept without a capture', async () => {
    const rig = await openCalibrate(
      [1650, 1650, 1650, 1650, 1650],
      [[calibrate.add, { ...kept({ method: 'law' }), residuals: [], rSquared: null, leaveOneOut: null, words: '10000 Ω', reconverted: 4 }]],
      {
        points: [bath],
      },
    );
    (rig.fixture.componentInstance as unknown as { take(how: string): void }).take('beta');
    await rig.settle();
    expect(rig.text).toMatch(/What it is wired with.*Its supply reads as\s*mV/s);
    // Nothing is fitted before all of it is said.
    expect(rig.text).not.toContain('Keep it');
    await rig.fill('#r--1-supply', '3300');
    expect(rig.text).toContain('10000 Ω at 25 °C, Beta 3950 K');
    await rig.press('Keep it');
    expect(rig.asked(calibrate.add)[0]).toMatchObject({
      body: {
        ...{ method: 'law', recipe: 'beta', captures: [] },
        law: { kind: 'beta', supply: 3300, seriesOhms: 10_000, atTwentyFive: 10_000, beta: 3950, tolerancePercent: 1 },
      },
    });
  });
  it('its rules being held meanwhile leaves the way that was chosen, and what was typed for it', async () => {
    const rig = await openCalibrate([1650, 1650, 1650, 1650, 1650], [], { points: [bath] });
    (rig.fixture.componentInstance as unknown as { take(how: string): void }).take('three-baths');
    await rig.settle();
    await rig.fill('#r--1-supply', '3300');
    await rig.arrive({ type: 'recalibrated', point: { ...bath, heldUntil: NOON + 1000 } });
    expect(rig.text).toContain('Its node reports every 5 s until');
    expect(rig.element.querySelector<HTMLInputElement>('#r--1-supply')?.value).toBe('3300');
  });
  it('three baths want their captures; another way leaves the law behind', async () => {
    const rig = await openCalibrate([1650, 1650, 1650, 1650, 1650], [[calibrate.add, new ApiError(503, 'away')]], { points: [bath] });
    const take = async (how: string): Promise<void> => {
      (rig.fixture.componentInstance as unknown as { take(how: string): void }).take(how);
      await rig.settle();
    };
    await take('three-baths');
    await rig.fill('#r--1-supply', '3300');
    expect(rig.text).not.toContain('Keep it');
    await take('two-point');
    await rig.fill('#c-reference', '5');
    await rig.press('Capture');
    expect(rig.text).toContain('two points make it, there are 1');
  });
});
