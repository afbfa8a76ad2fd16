import fc from 'fast-check';
import { violates } from '../alarm';
import { forcingOf, isThrough, judgeLegs, LEG_LIMIT_MS, legsOf, NO_TIMES, PROVE_AGAIN_DAYS, proofDueAt, type TestTimes } from '.';

const CO2 = { unit: 'ppm', decimals: 0, confirm: 'readings' as const, min: 400, max: 2000, physicalMin: 0, physicalMax: 5000 };
const CONTACT = { unit: '', decimals: 0, confirm: 'hold' as const, min: 0, max: 1, physicalMin: 0, physicalMax: 1 };

describe('how a rule is made to trip', () => {
  it('puts the setpoint just beyond the present value, on the side of the rule', () => {
    expect(forcingOf({ side: 'high', setpoint: 1500 }, CO2, 1180)).toEqual({ how: 'setpoint', setpoint: 1155 });
    expect(forcingOf({ side: 'low', setpoint: 400 }, CO2, 1180)).toEqual({ how: 'setpoint', setpoint: 1205 });
    const cold = { ...CO2, unit: '°C', decimals: 1, physicalMin: -40, physicalMax: 85 };
    expect(forcingOf({ side: 'high', setpoint: 30 }, cold, 21.4)).toEqual({ how: 'setpoint', setpoint: 20.8 });
  });

  it('has a contact moved by hand, and forces nothing that stands beyond its setpoint or at the end of its scale', () => {
    expect(forcingOf({ side: 'high', setpoint: 1 }, CONTACT, 0)).toEqual({ how: 'by hand' });
    expect(forcingOf({ side: 'high', setpoint: 1 }, CONTACT, 1)).toMatchObject({ how: 'no' });
    // A share between 0 and 1 that is measured is no contact: nobody can move it by hand.
    const share = { ...CONTACT, decimals: 2, confirm: 'readings' as const };
    expect(forcingOf({ side: 'high', setpoint: 0.9 }, share, 0.4)).toEqual({ how: 'setpoint', setpoint: 0.38 });
    expect(forcingOf({ side: 'high', setpoint: 1500 }, CO2, 1500)).toMatchObject({ how: 'no' });
    // 0 ppm cannot be put below anything that is measured: but a setpoint of 0 is met by it.
    expect(forcingOf({ side: 'high', setpoint: 1500 }, CO2, 0)).toEqual({ how: 'setpoint', setpoint: 0 });
    expect(forcingOf({ side: 'high', setpoint: 1500 }, CO2, -20)).toMatchObject({ how: 'no' });
  });

  it('always gives a setpoint within what is measured that the present value meets', () => {
    fc.assert(
      fc.property(fc.constantFrom('high' as const, 'low' as const), fc.integer({ min: 0, max: 5000 }), (side, value) => {
        const forcing = forcingOf({ side, setpoint: side === 'high' ? 6000 : -1 }, CO2, value);
        if (forcing.how !== 'setpoint') throw new Error(forcing.how);
        expect(forcing.setpoint).toBeGreaterThanOrEqual(CO2.physicalMin);
        expect(forcing.setpoint).toBeLessThanOrEqual(CO2.physicalMax);
        expect(violates({ side, setpoint: forcing.setpoint }, value)).toBe(true);
      }),
    );
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
  const all = { tells: true, switches: 'on' as const };

  it('are those that the rule has: what is told off needs no putting back', () => {
    expect(legsOf(all)).toEqual(['sensor', 'rule', 'message', 'output', 'put back']);
    expect(legsOf({ tells: true, switches: null })).toEqual(['sensor', 'rule', 'message']);
    expect(legsOf({ tells: false, switches: 'off' })).toEqual(['sensor', 'rule', 'output']);
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
