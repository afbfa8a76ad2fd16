import { assignPins, energyOf, pointsOfSheet, wiringOf, type SheetDraft } from '.';
import { draftOf, shipped } from './shipped.testing';

let refs = 0;
const place = (part: string, more: Partial<SheetDraft['parts'][number]> = {}) => ({ ref: `p${++refs}`, part, ...more });
const draft = draftOf;
const catalogue = shipped;
const relay = (load: Partial<NonNullable<SheetDraft['parts'][number]['load']>> = {}) =>
  place('relay-1', { load: { name: 'Humidifier', kind: 'resistive', amps: 1, safe: 'off', machine: 'none', protectedBy: '', ...load } });

describe('what follows from a draft', () => {
  it('points with names of their own, the dew point, and outputs with guards', () => {
    const points = pointsOfSheet(draft([place('climate-i2c'), place('climate-i2c'), relay()]), catalogue);
    expect(points.map((point) => point.name)).toEqual([
      'temperature',
      'humidity',
      'dew-point',
      'temperature-2',
      'humidity-2',
      'dew-point-2',
      'humidifier',
    ]);
    expect(points[5]!.derived).toEqual({ quantity: 'dew-point', from: ['temperature-2', 'humidity-2'] });
    expect(points[6]!.output?.guards.maxRunSeconds).toBe(1800);
  });
  it('a wire for every terminal', () => {
    const d = draft([place('climate-i2c'), place('soil-analog'), relay()]);
    const result = assignPins(d, catalogue);
    if (!result.ok) throw new Error(result.why);
    const wires = wiringOf(d, catalogue.boards.get(d.board)!, catalogue, result.assignment);
    expect(
      wires
        .filter((wire) => wire.from.startsWith('pin '))
        .map((wire) => wire.to.split(' ')[1])
        .sort(),
    ).toEqual(['clock', 'data', 'in', 'signal']);
    expect(wires.every((wire) => wire.through !== '' && wire.from !== 'pin ')).toBe(true);
  });
  it('the charge of an interval, worked by hand', () => {
    const post = draft([place('climate-i2c')], { board: 'wifi-dual-bare', supply: 'lithium-ion', reportSeconds: 600, eventsPerDay: 144 });
    const energy = energyOf(post, catalogue, () => 0.5)!;
    const at = (state: string): number => energy.shares.find((one) => one.state === state)!.milliampSeconds;
    // 144 events a day are one each 600 s: two wakes an interval. The sensor draws 0.4 µA asleep, 0.6 mA measuring for 0.05 s.
    expect(at('starting')).toBeCloseTo((0.4 * 100 + 0.0004) * 0.3 * 2, 9);
    expect(at('measuring')).toBeCloseTo((0.4 * 100 + 0.6) * 0.05, 9);
    expect(at('joining')).toBeCloseTo((100 + 0.0004) * 2.2 * 2, 9);
    expect(at('sending')).toBeCloseTo((240 + 0.0004) * 0.3 * 2, 9);
    expect(at('waiting for the answer')).toBeCloseTo((100 + 0.0004) * 0.25 * 2, 9);
    const awake = 0.3 * 2 + 0.05 + 2.2 * 2 + 0.3 * 2 + 0.25 * 2;
    expect(at('asleep')).toBeCloseTo((0.012 + 0.0004) * (600 - awake), 9);
    const sum = (40.0004 * 0.6 + 40.6 * 0.05 + 100.0004 * 4.4 + 240.0004 * 0.6 + 100.0004 * 0.5 + 0.0124 * (600 - awake)) / 600;
    expect(energy.averageMilliamps).toBeCloseTo(sum, 9);
    // 2600 mAh, 0.85 usable, 20 % a year lost by itself, and 3 µA of its protection: t = ln(1 + λQ/I)/λ.
    const [charge, lambda, load] = [2600 * 0.85 * 0.925, -Math.log(0.8) / 8766, sum];
    const drawn = energyOf(post, catalogue, () => 0.5, 1)!.days!.likely;
    expect(drawn / (Math.log1p((lambda * charge) / load) / lambda / 24)).toBeGreaterThan(0.9);
    expect(drawn / (Math.log1p((lambda * charge) / load) / lambda / 24)).toBeLessThan(1.05);
  });
  it('a gateway bridges a power cut for about 2.4 days, and nobody changes its battery; milliampere-hours at 12 V are not those at 5 V', () => {
    const gateway = draft([place('signal-level')], { board: 'gateway-board', supply: 'mains-backup-12' });
    const energy = energyOf(gateway, catalogue, () => 0.5)!;
    expect(energy.days).toBeNull();
    // 124 mA at 5 V are 124 × 5 / (12.2 × 0.85) = 60 mA of the battery, and 4 mA of its own: 3500 mAh of 7 Ah last 55 h.
    expect(energy.bridgingDays!.likely).toBeGreaterThan(1.9);
    expect(energy.bridgingDays!.likely).toBeLessThan(2.6);
    expect(energyOf({ ...gateway, supply: 'usb' }, catalogue, () => 0.5)!.bridgingDays).toBeNull();
  });
  it('cut off by a timer, a node still pays for a divider across its own battery, which lies before the switch', () => {
    const days = (switched: boolean): number =>
      energyOf(
        draft([{ ref: 'cell', part: 'battery-divider' }], {
          board: 'wifi-dual-bare',
          supply: 'lithium-ion',
          wake: 'nanopower timer',
          reportSeconds: 7200,
          dividers: { 'cell.signal': { upperOhms: 100_000, lowerOhms: 100_000, switched } },
        }),
        catalogue,
        () => 0.5,
      )!.averageMilliamps;
    // 4.2 V over 200 kΩ are 21 µA, day and night.
    expect(days(false) - days(true)).toBeCloseTo(0.021, 3);
  });
  it('with the network down a nanopower timer and events wake it as before; only the board’s own timer backs off', () => {
    const down = (more: Partial<SheetDraft>): number =>
      energyOf(
        draft([place('climate-i2c')], { board: 'wifi-dual-bare', supply: 'lithium-ion', reportSeconds: 600, ...more }),
        catalogue,
        () => 0.5,
      )!.daysNetworkDown!;
    expect(down({ wake: 'nanopower timer' })).toBeLessThan(down({}) / 10);
    // 144 wakes a day, 10.3 s at 100 mA each: 1.7 mA on average, some fifty days.
    expect(down({ wake: 'nanopower timer' })).toBeCloseTo((2600 * 0.85) / ((144 * 10.3 * 100) / 86_400 + 0.003) / 24, -1);
    expect(down({ eventsPerDay: 100 })).toBeLessThan(down({}) / 5);
  });
  it('days on a battery: less often is longer, and the range holds the middle', () => {
    const chance = (): (() => number) => {
      let state = 7;
      return () => (state = (state * 16_807) % 2_147_483_647) / 2_147_483_647;
    };
    const at = (reportSeconds: number) =>
      energyOf(draft([place('climate-i2c')], { board: 'wifi-dual-bare', supply: 'aa-lithium-2', reportSeconds }), catalogue, chance())!;
    const [often, seldom] = [at(300), at(3600)];
    expect(seldom.days!.likely).toBeGreaterThan(3 * often.days!.likely);
    expect(often.days!.low).toBeLessThan(often.days!.likely);
    expect(often.days!.high).toBeGreaterThan(often.days!.likely);
    expect(often.shares.reduce((sum, share) => sum + share.share, 0)).toBeCloseTo(1, 9);
    expect(seldom.daysNetworkDown!).toBeGreaterThan(300);
    expect(energyOf(draft([]), catalogue, Math.random)!.days).toBeNull();
  });
});
