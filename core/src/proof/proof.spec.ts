import fc from 'fast-check';
import { violates } from '../alarm';
import {
  forcingOf,
  isThrough,
  judgeLegs,
  LEG_LIMIT_MS,
  legsOf,
  NO_TIMES,
  PROVE_AGAIN_DAYS,
  proofDueAt,
  type ForcedPoint,
  type JudgedNow,
  type TestTimes,
} from '.';

const CO2: ForcedPoint = {
  ...{ unit: 'ppm', decimals: 0, confirm: 'readings', min: 400, max: 2000, physicalMin: 0, physicalMax: 5000, reportSeconds: 30 },
};
const CONTACT: ForcedPoint = {
  ...{ unit: '', decimals: 0, confirm: 'hold', min: 0, max: 1, physicalMin: 0, physicalMax: 1, reportSeconds: 30 },
};
const COLD: ForcedPoint = { ...CO2, unit: '°C', decimals: 1, physicalMin: -40, physicalMax: 85 };
const reads = (value: number | null): JudgedNow => ({ value, also: null });
const put = (setpoint: number) => ({ how: 'setpoint', reads: true, setpoint, low: null, alsoSetpoint: null });

describe('how a rule is made to trip', () => {
  it('puts the setpoint just beyond the present value, on the side of the rule', () => {
    expect(forcingOf({ side: 'high', setpoint: 1500 }, CO2, reads(1180))).toEqual(put(1155));
    expect(forcingOf({ side: 'low', setpoint: 400 }, CO2, reads(1180))).toEqual(put(1205));
    expect(forcingOf({ side: 'high', setpoint: 30 }, COLD, reads(21.4))).toEqual(put(20.8));
  });

  it('has a contact moved by hand, and forces nothing that stands beyond its setpoint or at the end of its scale', () => {
    expect(forcingOf({ side: 'high', setpoint: 1 }, CONTACT, reads(0))).toEqual({ ...put(1), how: 'by hand' });
    expect(forcingOf({ side: 'high', setpoint: 1 }, CONTACT, reads(1))).toMatchObject({ how: 'no' });
    // A share between 0 and 1 that is measured is no contact: nobody can move it by hand.
    const share: ForcedPoint = { ...CONTACT, decimals: 2, confirm: 'readings' };
    expect(forcingOf({ side: 'high', setpoint: 0.9 }, share, reads(0.4))).toEqual(put(0.38));
    expect(forcingOf({ side: 'high', setpoint: 1500 }, CO2, reads(1500))).toMatchObject({ how: 'no' });
    // 0 ppm cannot be put below anything that is measured: but a setpoint of 0 is met by it.
    expect(forcingOf({ side: 'high', setpoint: 1500 }, CO2, reads(0))).toEqual(put(0));
    expect(forcingOf({ side: 'high', setpoint: 1500 }, CO2, reads(-20))).toMatchObject({ how: 'no' });
  });

  it('always gives a setpoint within what is measured that the present value meets', () => {
    fc.assert(
      fc.property(fc.constantFrom('high' as const, 'low' as const), fc.integer({ min: 0, max: 5000 }), (side, value) => {
        const forcing = forcingOf({ side, setpoint: side === 'high' ? 6000 : -1 }, CO2, reads(value));
        if (forcing.how !== 'setpoint') throw new Error(forcing.how);
        expect(forcing.setpoint).toBeGreaterThanOrEqual(CO2.physicalMin);
        expect(forcing.setpoint).toBeLessThanOrEqual(CO2.physicalMax);
        expect(violates({ side, setpoint: forcing.setpoint }, value)).toBe(true);
      }),
    );
  });

  it('moves the upper end of a band, and the lower one where there is no room above it', () => {
    const band = (low: number, setpoint: number) => ({ side: 'high' as const, setpoint, judges: { kind: 'band' as const, low } });
    expect(forcingOf(band(4, 30), COLD, reads(21.4))).toEqual(put(20.8));
    expect(forcingOf(band(21, 30), COLD, reads(21.4))).toEqual({ ...put(30), low: 22 });
    expect(forcingOf(band(21.3, 21.6), COLD, reads(21.4))).toMatchObject({ how: 'no' });
    for (const outside of [3.9, 30]) expect(forcingOf(band(4, 30), COLD, reads(outside))).toMatchObject({ how: 'no' });
  });

  it('puts the setpoint beyond what a change, a difference or a departure comes to now; without knowing that, nowhere', () => {
    for (const judges of [
      { kind: 'rate' as const, overSeconds: 600 },
      { kind: 'difference' as const, point: 9 },
      { kind: 'usual' as const },
    ]) {
      expect(forcingOf({ side: 'high', setpoint: 3, judges }, COLD, reads(0.2))).toEqual(put(-0.4));
      expect(forcingOf({ side: 'low', setpoint: -3, judges }, COLD, reads(0.2))).toEqual(put(0.8));
      expect(forcingOf({ side: 'high', setpoint: 3, judges }, COLD, reads(null))).toMatchObject({ how: 'no' });
      expect(forcingOf({ side: 'high', setpoint: 3, judges }, COLD, reads(3.1))).toMatchObject({ how: 'no' });
    }
  });

  it('counts a contact that is moved once more; a silence that is shorter than any between two reports makes it trip', () => {
    const count = { side: 'high' as const, setpoint: 3, judges: { kind: 'count' as const, level: 1, withinSeconds: 3600 } };
    expect(forcingOf(count, CONTACT, reads(1))).toEqual({ ...put(2), how: 'by hand' });
    expect(forcingOf(count, CO2, reads(1))).toEqual(put(1));
    const silence = { side: 'high' as const, setpoint: 600, judges: { kind: 'silence' as const } };
    expect(forcingOf(silence, CO2, reads(12))).toEqual({ ...put(2), reads: false });
    expect(forcingOf(silence, { ...CO2, reportSeconds: 1 }, reads(0))).toEqual({ ...put(0.5), reads: false });
    expect(forcingOf(silence, CO2, reads(600))).toMatchObject({ how: 'no' });
  });

  it('moves a second condition that has to be met as well, and only where it is not', () => {
    const rule = { side: 'high' as const, setpoint: 30, also: { join: 'and' as const, side: 'high' as const, setpoint: 1500 } };
    const beside = (value: number): JudgedNow => ({ value: 21.4, also: { value, point: CO2 } });
    expect(forcingOf(rule, COLD, beside(1180))).toEqual({ ...put(20.8), alsoSetpoint: 1155 });
    expect(forcingOf(rule, COLD, beside(1600))).toEqual(put(20.8));
    expect(forcingOf({ ...rule, also: { ...rule.also, join: 'or' } }, COLD, beside(1180))).toEqual(put(20.8));
    expect(forcingOf(rule, COLD, reads(21.4))).toMatchObject({ how: 'no' });
    // What has two states counts as met where it is.
    const window = { value: 21.4, also: { value: 0, point: CONTACT } };
    expect(forcingOf({ ...rule, also: { ...rule.also, setpoint: 1 } }, COLD, window)).toEqual({ ...put(20.8), alsoSetpoint: 0 });
    // Its own condition is met, and waits for the other: that alone is moved.
    expect(forcingOf(rule, COLD, { ...beside(1180), value: 31 })).toEqual({ ...put(30), alsoSetpoint: 1155 });
    expect(forcingOf(rule, COLD, { ...beside(1600), value: 31 })).toMatchObject({ how: 'no' });
    // A contact says nothing more where it stands: no reading has to come.
    const open = { ...beside(1180), value: 1 };
    expect(forcingOf({ ...rule, setpoint: 1 }, CONTACT, open)).toEqual({ ...put(1), reads: false, alsoSetpoint: 1155 });
  });
});

describe('the legs of a test', () => {
  const times: TestTimes = {
    readAt: 1000,
    arrivedAt: 1420,
    trippedAt: 1470,
    deliveredAt: 2290,
    commandedAt: 1480,
    answeredAt: 1930,
    restoredAt: 3000,
    offAt: 3400,
  };
  const all = { reads: true, tells: true, switches: 'on' as const };

  it('are those that the rule has: what is told off needs no putting back', () => {
    expect(legsOf(all)).toEqual(['sensor', 'rule', 'message', 'output', 'put back']);
    expect(legsOf({ reads: true, tells: true, switches: null })).toEqual(['sensor', 'rule', 'message']);
    expect(legsOf({ reads: true, tells: false, switches: 'off' })).toEqual(['sensor', 'rule', 'output']);
    expect(legsOf({ ...all, reads: false })).toEqual(['rule', 'message', 'output', 'put back']);
  });

  it('are timed each against its own limit; at the limit passes, beyond it does not', () => {
    expect(judgeLegs(all, times).map(({ leg, ms, passed }) => [leg, ms, passed])).toEqual([
      ['sensor', 420, true],
      ['rule', 50, true],
      ['message', 820, true],
      ['output', 450, true],
      ['put back', 400, true],
    ]);
    const message = (deliveredAt: number): boolean | undefined =>
      judgeLegs(all, { ...times, deliveredAt }).find(({ leg }) => leg === 'message')?.passed;
    expect([message(1470 + LEG_LIMIT_MS.message), message(1471 + LEG_LIMIT_MS.message)]).toEqual([true, false]);
  });

  it('that did not end have no time and are not passed; a clock that runs ahead gives no negative time', () => {
    expect(judgeLegs(all, NO_TIMES).every(({ ms, passed }) => ms === null && !passed)).toBe(true);
    expect(judgeLegs(all, { ...times, readAt: 2000 })[0]).toMatchObject({ leg: 'sensor', ms: 0 });
  });

  it('give what holds an output on time for it, and no other leg', () => {
    const slow = { ...times, offAt: 3000 + LEG_LIMIT_MS['put back'] + 30_000 };
    expect(judgeLegs(all, slow).at(-1)?.passed).toBe(false);
    const held = judgeLegs(all, slow, { 'put back': 30_000 });
    expect([held.at(-1)?.passed, held[0]?.limitMs]).toEqual([true, LEG_LIMIT_MS.sensor]);
  });

  it('are through before the putting back, and not before any other', () => {
    expect(isThrough(all, { ...times, restoredAt: null, offAt: null })).toBe(true);
    for (const missing of ['arrivedAt', 'trippedAt', 'deliveredAt', 'answeredAt'] as const)
      expect(isThrough(all, { ...times, [missing]: null })).toBe(false);
  });
});

it('a proof is due again the sooner the graver the rule; what was never proved has no date', () => {
  expect(PROVE_AGAIN_DAYS.critical).toBeLessThan(PROVE_AGAIN_DAYS.warning);
  expect(proofDueAt('critical', Date.UTC(2026, 9, 1))).toBe(Date.UTC(2026, 11, 30));
  expect(proofDueAt('critical', null)).toBeNull();
});
