import {
  assemblySteps,
  assignPins,
  checkSheet,
  energyOf,
  pointsOfSheet,
  sheetDifferences,
  sunOf,
  usualSun,
  type Profile,
  type SheetDraft,
} from '.';
import { draftOf, shipped, shippedWith, verdictsOf } from './shipped.testing';
import { decimalsAfter, unitChange, unitsFor } from '../quantity';

const catalogue = shipped;
const draft = draftOf;
const verdicts = verdictsOf;
const changed = shippedWith;
const load = { name: 'Humidifier', kind: 'motor' as const, amps: 0.4, safe: 'off' as const, machine: 'none' as const, protectedBy: '' };
describe('points of a sheet', () => {
  const air = [{ ref: 'air', part: 'climate-i2c' }];
  it('can be renamed; what is computed from them follows', () => {
    const points = pointsOfSheet(draft(air, { points: { temperature: { name: 'bed-temperature', label: 'Bed' } } }), catalogue);
    expect(points.map((point) => point.name)).toEqual(['bed-temperature', 'humidity', 'dew-point']);
    expect(points[0]?.label).toBe('Bed');
    expect(points[2]?.derived?.from).toEqual(['bed-temperature', 'humidity']);
  });
  it('in another unit take range, decimals, largest step and thresholds along (0 °C is 32 °F, 40 °C is 104 °F)', () => {
    const [temperature] = pointsOfSheet(draft(air, { points: { temperature: { unit: '°F' } } }), catalogue);
    expect(temperature).toMatchObject({ unit: '°F', min: 32, max: 104, physicalMin: -40, physicalMax: 185, spikeStep: 14.4, decimals: 1 });
    const [level] = pointsOfSheet(
      draft([{ ref: 'level', part: 'level-ultrasonic-serial' }], { points: { level: { unit: 'm' } } }),
      catalogue,
    );
    expect(level).toMatchObject({ unit: 'm', min: 0, max: 3, decimals: 2 });
    const soil = draft([{ ref: 'bed', part: 'soil-analog' }]);
    expect(pointsOfSheet(soil, catalogue)[0]?.thresholds).toEqual([expect.objectContaining({ side: 'low', setpoint: 15 })]);
    const cold = changed('climate-i2c', (profile: Extract<Profile, { kind: 'part' }>) => ({
      ...profile,
      points: profile.points.map((point) =>
        point.name === 'temperature'
          ? {
              ...point,
              thresholds: [
                { side: 'high' as const, setpoint: 10, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning' as const },
              ],
            }
          : point,
      ),
    }));
    expect(pointsOfSheet(draft(air, { points: { temperature: { unit: '°F' } } }), cold)[0]?.thresholds[0]).toMatchObject({
      setpoint: 50,
      deadband: 3.6,
    });
  });
  it('say why the node woke where that is asked for and it sleeps; on the mains, and unasked, there is no such point', () => {
    const names = (more: Partial<SheetDraft>): string[] => pointsOfSheet(draft(air, more), catalogue).map(({ name }) => name);
    expect(names({ supply: 'aa-lithium-2', tellsWake: true })).toEqual(['temperature', 'humidity', 'dew-point', 'woke-by']);
    for (const none of [
      { supply: 'aa-lithium-2' },
      { supply: 'usb', tellsWake: true },
      { supply: 'aa-lithium-2', tellsWake: true, wake: 'stays awake' as const },
    ])
      expect(names(none)).not.toContain('woke-by');
  });
  it('keep their unit where there is no way to the one wished for', () => {
    expect(pointsOfSheet(draft(air, { points: { humidity: { unit: 'kg' } } }), catalogue)[1]?.unit).toBe('%');
  });
});

describe('units', () => {
  it('go there and back, with the factors of NIST SP 811 and the 1959 yard and pound', () => {
    for (const unit of ['°C', 'cm', 'mm', 'hPa', 'L/min', 'm/s', 'lx', 'kg'])
      for (const other of unitsFor(unit)) {
        const [there, back] = [unitChange(unit, other)!, unitChange(other, unit)!];
        expect((17.3 * there.factor + there.offset) * back.factor + back.offset).toBeCloseTo(17.3, 9);
      }
    expect(unitChange('kg', 'lb')!.factor).toBeCloseTo(2.20462262, 8);
    expect(unitChange('m/s', 'mph')!.factor).toBeCloseTo(2.2369363, 7);
    expect(1013.25 * unitChange('hPa', 'inHg')!.factor).toBeCloseTo(29.921, 3);
    expect(unitChange('kg', '°C')).toBeNull();
  });
  it('show as finely as before', () => {
    expect([
      decimalsAfter(0, { factor: 0.01, offset: 0 }),
      decimalsAfter(1, { factor: 1.8, offset: 32 }),
      decimalsAfter(2, { factor: 1000, offset: 0 }),
    ]).toEqual([2, 1, 0]);
  });
});

describe('versions of a sheet', () => {
  it('say what differs: parts, pins, points, pace; nothing where nothing does', () => {
    const before = draft([{ ref: 'air', part: 'climate-i2c' }]);
    const after = draft(
      [
        { ref: 'air', part: 'climate-single-bus' },
        { ref: 'relay', part: 'relay-1', load },
      ],
      { reportSeconds: 300 },
    );
    const found = new Map(sheetDifferences(before, after, catalogue).map((one) => [one.what, one]));
    expect(found.get('reports every')).toMatchObject({ before: '60 s', after: '5 min' });
    expect(found.get('part relay')).toMatchObject({ before: '', after: expect.stringMatching(/switches Humidifier \(motor, 0\.4 A\)/) });
    expect([...found.keys()].some((what) => what.startsWith('pin of '))).toBe(true);
    expect(found.get('point humidifier')?.before).toBe('');
    expect(sheetDifferences(before, before, catalogue)).toEqual([]);
  });
});

describe('the order of assembly', () => {
  const d = draft(
    [
      { ref: 'air', part: 'climate-i2c' },
      { ref: 'relay', part: 'relay-1', load },
    ],
    { outdoors: true, antenna: 'antenna-whip', board: 'wifi-dual-bare' },
  );
  const board = catalogue.boards.get('wifi-dual-bare')!;
  const result = assignPins(d, catalogue);
  if (!result.ok) throw new Error('the sheet has pins');
  const steps = assemblySteps(d, board, catalogue, result.assignment);
  const at = (id: string): number => steps.findIndex((step) => step.id === id);
  it('has the antenna before power, the inspection before power, loads last of the electrical steps', () => {
    expect(at('antenna')).toBeGreaterThan(-1);
    expect(at('antenna')).toBeLessThan(at('power'));
    expect(at('part-relay')).toBeLessThan(at('inspect'));
    expect(at('inspect')).toBeLessThan(at('power'));
    expect(at('power')).toBeLessThan(at('outputs'));
    expect(at('outputs')).toBeLessThan(at('loads'));
    expect(new Set(steps.map((step) => step.id)).size).toBe(steps.length);
  });
  it('names every wire of a part, and the caution beside the step that needs it', () => {
    expect(steps[at('part-air')]?.text).toMatch(/pin \d+ to air data/);
    expect(steps[at('loads')]?.caution).toMatch(/licensed electrician/);
    expect(steps[at('outputs')]?.caution).toMatch(/start by itself/);
  });
});

describe('a sheet with a panel', () => {
  const sunny = (panelWatts: number, latitude = 52, reportSeconds = 20): SheetDraft =>
    draft([{ ref: 'air', part: 'climate-i2c' }], {
      board: 'wifi-dual-bare',
      supply: 'lithium-ion-solar',
      reportSeconds,
      sun: usualSun(latitude, panelWatts),
    });
  it('names a panel as it is sold, and the share of years that it holds; the next smaller one holds in fewer', () => {
    const { smallest, autonomyDays } = sunOf(sunny(3), catalogue, () => 0.5)!;
    expect(smallest!.holds).toBeGreaterThanOrEqual(0.95);
    expect(sunOf(sunny(smallest!.watts), catalogue, () => 0.5)!.holds).toBe(smallest!.holds);
    expect(sunOf(sunny(smallest!.watts * 0.5), catalogue, () => 0.5)!.holds).toBeLessThan(0.95);
    expect(autonomyDays).toBeGreaterThan(1);
    // However little it draws, nobody sells a tenth of a watt.
    expect(sunOf(sunny(3, 52, 3600), catalogue, () => 0.5)!.smallest!.watts).toBe(1);
  });
  it('is at its lowest in the winter of its own half of the earth, with months of that half to begin with', () => {
    const worst = (latitude: number): number => {
      const { smallest } = sunOf(sunny(3, latitude), catalogue, () => 0.5)!;
      return sunOf(sunny(smallest!.watts, latitude), catalogue, () => 0.5)!.worst.lowestDay;
    };
    const [north, south] = [worst(52), worst(-52)];
    expect(north < 75 || north > 310).toBe(true);
    expect(south).toBeGreaterThan(130);
    expect(south).toBeLessThan(260);
    expect(usualSun(-52, 3).sunshine[6]).toBe(usualSun(52, 3).sunshine[0]);
    expect([usualSun(-52, 3).facingDegrees, usualSun(52, 3).facingDegrees]).toEqual([0, 180]);
  });
  it('a lithium cell outdoors is not charged on days of frost', () => {
    const cold = { ...sunny(3), outdoors: true };
    const frost = (share: number): SheetDraft => ({
      ...cold,
      sun: { ...cold.sun!, frost: [share, share, 0, 0, 0, 0, 0, 0, 0, 0, share, share] },
    });
    expect(sunOf(frost(0.6), catalogue, () => 0.5)!.holds).toBeLessThan(sunOf(frost(0), catalogue, () => 0.5)!.holds);
  });
  it('has a panel of more volts than its full battery', () => {
    expect(verdicts(sunny(3), 'panel-volts')).toEqual(['pass']);
    const weak = changed('lithium-ion-solar', (profile: Extract<Profile, { kind: 'supply' }>) => ({
      ...profile,
      panel: { watts: 3, volts: 4.4 },
    }));
    expect(verdicts(sunny(3), 'panel-volts', weak)).toEqual(['fail']);
  });
});

describe('more that is checked', () => {
  it('pulses faster than the input counts', () => {
    const flow = draft([{ ref: 'flow', part: 'flow-pulse' }]);
    const slow = (pulseHertz: number) =>
      changed('wifi-dual-38', (profile: Extract<Profile, { kind: 'board' }>) => ({ ...profile, pulseHertz }));
    expect([verdicts(flow, 'pulse-rate'), verdicts(flow, 'pulse-rate', slow(300)), verdicts(flow, 'pulse-rate', slow(100))]).toEqual([
      ['pass'],
      ['warn'],
      ['fail'],
    ]);
  });
  it('a pin of 3.3 V on a module of 5 V, a part that needs a second supply, and a broken wire that nothing would show', () => {
    expect(verdicts(draft([{ ref: 'level', part: 'level-ultrasonic' }]), 'drive-level')).toEqual(['warn']);
    expect(verdicts(draft([{ ref: 'relay', part: 'relay-1', load }]), 'drive-level')).toEqual([]);
    expect(verdicts(draft([{ ref: 'valve', part: 'valve', load }]), 'part-volts')).toEqual(['fail']);
    expect(verdicts(draft([{ ref: 'valve', part: 'valve', load }], { supply: 'step-down-12' }), 'two-supplies')).toEqual(['warn']);
    expect(verdicts(draft([{ ref: 'bed', part: 'soil-analog' }]), 'failed-read')).toEqual(['pass']);
    const blind = changed('soil-analog', (profile: Extract<Profile, { kind: 'part' }>) => ({
      ...profile,
      points: profile.points.map((point) => ({ ...point, spikeStep: null })),
    }));
    expect(verdicts(draft([{ ref: 'bed', part: 'soil-analog' }]), 'failed-read', blind)).toEqual(['warn']);
  });
  it('an antenna without a connector, and a wake circuit that cannot do what the sheet needs', () => {
    expect(verdicts(draft([], { antenna: 'antenna-panel' }), 'antenna')).toEqual(['fail']);
    expect(verdicts(draft([], { antenna: 'antenna-panel', board: 'wifi-dual-bare' }), 'antenna')).toEqual(['pass']);
    const cut = (id: string, parts: SheetDraft['parts'], more: Partial<SheetDraft>) =>
      verdicts(draft(parts, { board: 'wifi-dual-bare', supply: 'lithium-ion', ...more }), id);
    const air = [{ ref: 'air', part: 'climate-i2c' }];
    expect(cut('timer', air, { wake: 'nanopower timer', reportSeconds: 1800 })).toEqual(['pass']);
    expect(cut('timer', air, { wake: 'nanopower timer', reportSeconds: 10_800 })).toEqual(['fail']);
    // 84 to 104 s lie where the second range of the timer's formula falls again: their resistor gives that span, not 5 to 10 s.
    for (const reportSeconds of [84, 90, 97, 104]) {
      const check = checkSheet(
        draft(air, { board: 'wifi-dual-bare', supply: 'lithium-ion', wake: 'nanopower timer', reportSeconds }),
        catalogue,
      ).checks.find((one) => one.id === 'timer')!;
      expect([check.verdict, Math.abs(Number(/, ([\d.]+) s/.exec(check.figure)![1]) / reportSeconds - 1) < 0.03]).toEqual(['pass', true]);
    }
    expect(cut('wake', [{ ref: 'relay', part: 'relay-1', load }], { wake: 'nanopower timer' })[0]).toBe('fail');
    expect(cut('wake', air, { wake: 'contact pulse' })).toEqual(['fail']);
  });
  it('a node that is cut off between wakes lasts longer than one that sleeps; a held coil costs what it draws', () => {
    const life = (wake: SheetDraft['wake']) =>
      energyOf(
        draft([{ ref: 'air', part: 'climate-i2c' }], { board: 'wifi-single-small', supply: 'lithium-ion', reportSeconds: 3600, wake }),
        catalogue,
        () => 0.5,
      )!.days!.likely;
    expect(life('nanopower timer')).toBeGreaterThan(life('board timer'));
    const held = (hoursPerDay: number) =>
      energyOf(draft([{ ref: 'relay', part: 'relay-1', load: { ...load, hoursPerDay } }]), catalogue, () => 0.5)!;
    // The coil draws 75 mA: 24 hours of it are 75 mA on average, on top of the board.
    expect(held(24).averageMilliamps - held(0).averageMilliamps).toBeCloseTo(75, 6);
    expect(held(12).shares.find((share) => share.state === 'outputs held')!.milliampSeconds).toBeCloseTo(37.5 * 60, 6);
  });
});
