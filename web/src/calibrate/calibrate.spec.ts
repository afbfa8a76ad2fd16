import { calibrate } from '@dewpost/contract';
import { ApiError } from '../data/api';
import { aThreshold, aNode, aPoint, NOON, Rig } from '../testing/rig';
import { kept, openCalibrate, POINT } from '../testing/calibrate-rig';
import { Calibrate } from './calibrate';

describe('a point that is told in counts', () => {
  const bed = aPoint({
    id: 1,
    name: 'soil-moisture',
    label: 'Upper bed moisture',
    unit: 'counts',
    max: 4095,
    decimals: 0,
    raw: { unit: 'counts', min: 0, max: 4095, step: 1, direction: 'falls', nominal: null },
    uncalibrated: true,
    calibratesTo: { unit: '%', min: 0, max: 60, decimals: 0 },
  });
  const capture = async (rig: Awaited<ReturnType<typeof openCalibrate>>, reference: string): Promise<void> => {
    await rig.fill('#c-reference', reference);
    await rig.press('Capture');
  };

  it('begins with two captures, says what to do with the hand, and lists what is not calibrated yet', async () => {
    const rig = await openCalibrate([2800, 2801, 2800, 2799, 2800], [], { points: [bed] });
    expect(rig.text).toContain('Dry soil first');
    expect(rig.text).toContain('2 800 counts');
    await capture(rig, '5');
    expect(rig.text).toMatch(/raw 2 800 counts reference 5.0 %/);
    expect(rig.text).toContain('two points make it, there are 1');
    (rig.fixture.componentInstance as unknown as { picked: { set(id: null): void } }).picked.set(null);
    await rig.settle();
    expect(rig.text).toMatch(/Not calibrated yet.*Upper bed moisture.*counts to %/s);
  });
  it('refuses a wet that reads drier than dry, with both figures', async () => {
    const rig = await openCalibrate([2800, 2800, 2800, 2800, 2800], [], { points: [bed] });
    await capture(rig, '35');
    const component = rig.fixture.componentInstance as unknown as { captures: { update(change: (all: object[]) => object[]): void } };
    component.captures.update((all) => [...all, { raw: 1300, reference: 5 }]);
    await rig.settle();
    expect(rig.text).toContain('its counts fall as % rise, and here 1300 go with 5 %, 2800 with 35');
    expect(rig.text).not.toContain('Keep it');
  });
});

describe('calibrating a point', () => {
  it('captures a settled value beside its reference, shows the fit, and keeps it with what was seen', async () => {
    const rig = await openCalibrate(
      [20, 20.1, 20, 20.1, 20],
      [[calibrate.add, { ...kept(), residuals: [0], rSquared: null, leaveOneOut: null, reconverted: 0 }]],
    );
    expect(rig.text).toContain('settled: spread 0.10 °C, 0.20 °C may be');
    expect(rig.button('Capture').disabled).toBe(true);
    await rig.fill('#c-reference', '21.04');
    await rig.press('Capture');
    expect(rig.text).toContain('raw + 1 ± 0.03 °C');
    await rig.press('Keep it');
    const [asked] = rig.asked(calibrate.add);
    expect(asked?.params).toEqual({ node: 'loft-climate', point: 'temperature' });
    expect(asked?.body).toMatchObject({
      method: 'offset',
      captures: [{ raw: expect.closeTo(20.04, 9) as number, reference: 21.04 }],
      after: 0,
    });
    expect(rig.text).toContain('Kept as version 1');
  });
  it('rules of a point that is worked at can be held, and let go; what they are is said', async () => {
    const rules = { thresholds: [aThreshold({ id: 3 }), aThreshold({ id: 4, side: 'low', setpoint: 5 })] };
    const rig = await openCalibrate([20, 20, 20, 20, 20], [[calibrate.hold, POINT]], rules);
    expect(rig.text).toContain('2 rules would be judged by what you do to it.');
    await rig.press('Hold them for 30 min');
    expect(rig.asked(calibrate.hold)[0]).toMatchObject({ params: { node: 'loft-climate', point: 'temperature' }, body: { minutes: 30 } });
    const held = await openCalibrate([20, 20, 20, 20, 20], [[calibrate.letGo, POINT]], {
      ...rules,
      points: [{ ...POINT, heldUntil: NOON + 600_000 }],
    });
    expect(held.text).toMatch(/Its 2 rules held until Tue 24 Nov 12:10/);
    await held.press('Let them go on');
    expect(held.asked(calibrate.letGo)).toHaveLength(1);
    expect((await openCalibrate([20], [], {})).text).not.toContain('would be judged');
  });
  it('a value that moves cannot be captured', async () => {
    const rig = await openCalibrate([18, 19, 20, 21, 22]);
    await rig.fill('#c-reference', '21');
    expect([rig.text.includes('not settled yet'), rig.button('Capture').disabled]).toEqual([true, true]);
  });
  it('says what cannot be fitted, and which thresholds would change their state', async () => {
    const threshold = aThreshold({ id: 3, setpoint: 20.5, deadband: 1, clearLevel: 19.5 });
    const rig = await openCalibrate([20, 20, 20, 20, 20], [], { thresholds: [threshold] });
    await rig.fill('#c-reference', '22');
    await rig.press('Capture');
    expect(rig.text).toContain('With it these thresholds change their state at once: at or above 20.50 °C');
    await rig.fill('#c-how', 'two points');
    expect(rig.text).toContain('two points make it, there are 1');
    expect(() => rig.button('Keep it')).toThrow();
  });
  it('somebody was faster: the captures stay', async () => {
    const rig = await openCalibrate([20, 20, 20, 20, 20], [[calibrate.add, new ApiError(409, 'Version 2 is in force by now.')]]);
    await rig.fill('#c-reference', '21');
    await rig.press('Capture');
    await rig.press('Keep it');
    expect(rig.element.querySelector('[role=alert]')?.textContent).toBe('Version 2 is in force by now. Your captures stay here.');
    expect(rig.element.querySelectorAll('.captures li')).toHaveLength(1);
  });
  it('a keeper reads the record, and calibrates nothing', async () => {
    const rig = await openCalibrate([20], [[calibrate.list, [kept({ withdrawnAt: NOON, withdrawnBy: 'baker' })]]], {
      me: { name: 'baker', role: 'keeper' },
    });
    expect(rig.text).toContain('withdrawn by baker');
    for (const name of ['Capture', 'Keep it', 'Withdraw version 1']) expect(() => rig.button(name)).toThrow();
  });

  it('lists what is due again, the most overdue first, and keeps the months that were said', async () => {
    const day = 86_400_000;
    const due = (id: number, label: string, at: number | null) => aPoint({ id, name: `p-${id}`, label, calibrationDue: at });
    const points = [
      due(5, 'Bed one', Date.now() + 10 * day),
      due(6, 'Bed two', Date.now() - 3 * day),
      due(7, 'Bed three', Date.now() + 90 * day),
      due(8, 'Bed four', null),
    ];
    const rig = await Rig.open(Calibrate, { snapshot: { nodes: [aNode()], points }, answers: [[calibrate.inForce, []]] });
    const list = rig.rows('section[aria-labelledby=c-due-list] button');
    expect(list.map((row) => row.split(',')[0])).toEqual(['Bed two', 'Bed one']);
    expect(list[0]).toContain('overdue since');
  });
});

describe('a way that leads step by step', () => {
  const SCALE = aPoint({ id: 1, name: 'mass', label: 'Hopper', unit: 'kg', min: 0, max: 100, decimals: 2 });
  it('takes each capture with its own reference, and keeps by which way it was made', async () => {
    const answer = {
      ...kept({ method: 'two-point', recipe: 'scale' }),
      residuals: [0, 0],
      rSquared: null,
      leaveOneOut: null,
      reconverted: 0,
    };
    const rig = await openCalibrate([1.5, 1.5, 1.5, 1.5, 1.5], [[calibrate.add, answer]], { points: [SCALE] });
    await rig.fill('#c-how', 'empty and a known weight');
    expect(rig.text).toContain('Nobody under a load that hangs');
    expect(rig.text).toContain('the reference is then 0.000 kg');
    await rig.press('Capture');
    expect(rig.button('Capture').disabled).toBe(true);
    await rig.fill('#r-1-shows', '20');
    const component = rig.fixture.componentInstance as unknown as { captures: { set(all: object[]): void } };
    component.captures.set([
      { raw: 1.5, reference: 0 },
      { raw: 21, reference: 20 },
    ]);
    await rig.settle();
    await rig.press('Keep it');
    expect(rig.asked(calibrate.add)[0]!.body).toMatchObject({
      method: 'two-point',
      recipe: 'scale',
      captures: [{ reference: 0 }, { reference: 20 }],
    });
  });
  it('pressed before it has settled it captures by itself, and can be stopped', async () => {
    const rig = await openCalibrate([1, 9, 1, 9, 1], [], { points: [SCALE] });
    await rig.fill('#c-how', 'empty again (tare)');
    await rig.press('Capture when it has settled');
    expect(rig.text).toContain('stop that');
    expect(rig.text).not.toContain('Keep it');
    await rig.press('It captures by itself once it has settled: stop that');
    expect(rig.button('Capture when it has settled').disabled).toBe(false);
  });
  it('a divider that misses a diode’s drop everywhere is told as a missing ground', async () => {
    const supply = aPoint({ id: 1, name: 'battery', label: 'Supply', unit: 'V', min: 0, max: 20, decimals: 2 });
    const rig = await openCalibrate([11.4, 11.4, 11.4, 11.4, 11.4], [], { points: [supply] });
    await rig.fill('#c-how', 'a divider, trimmed by a meter');
    const component = rig.fixture.componentInstance as unknown as { captures: { set(all: object[]): void } };
    component.captures.set([
      { raw: 11.4, reference: 12.02 },
      { raw: 13.8, reference: 14.4 },
    ]);
    await rig.settle();
    expect(rig.text).toContain('that is a missing common ground');
  });
  it('what lies beyond its captures is called a guess', async () => {
    const rig = await openCalibrate([30, 30, 30, 30, 30]);
    await rig.fill('#c-how', 'a table');
    const component = rig.fixture.componentInstance as unknown as { captures: { set(all: object[]): void } };
    component.captures.set([
      { raw: 10, reference: 11 },
      { raw: 15, reference: 17 },
      { raw: 20, reference: 21 },
    ]);
    await rig.settle();
    expect(rig.text).toMatch(/a table of 3 pairs, straight between them ± .*each left out in turn is missed by 1.00 °C/);
    expect(rig.text).toContain('was captured from 10.00 °C to 20.00 °C: beyond that it is guessed');
  });
});
