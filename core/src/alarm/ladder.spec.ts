import fc from 'fast-check';
import { fallsWith, type Severity, type Step } from '.';

const step = (severity: Severity, setpoint: number, change: Partial<Step> = {}): Step => ({
  ...{ side: 'high', setpoint, onDelaySeconds: 60, severity, always: true, alerts: true },
  ...change,
});

describe('a ladder of limits', () => {
  it('rises: the graver is further out, on either side, whichever is set last', () => {
    const [warning, critical] = [step('warning', 30), step('critical', 35)];
    expect([fallsWith(warning, [critical]), fallsWith(critical, [warning])]).toEqual([null, null]);
    const low = { side: 'low' } as const;
    expect(fallsWith(step('critical', 2, low), [step('warning', 5, low)])).toBeNull();
  });
  it('falls where the graver comes first, or at the same value: the lesser would say nothing', () => {
    const warning = step('warning', 35);
    for (const setpoint of [30, 35]) {
      const critical = step('critical', setpoint);
      expect([fallsWith(warning, [critical]), fallsWith(critical, [warning])]).toEqual([critical, warning]);
    }
    const low = { side: 'low' } as const;
    expect(fallsWith(step('advisory', 2, low), [step('critical', 5, low)])?.setpoint).toBe(5);
  });
  it.each<[string, Partial<Step>]>([
    ['waits longer', { onDelaySeconds: 3600 }],
    ['is judged at some hours only', { always: false }],
    ['only switches', { alerts: false }],
    ['is of the other side', { side: 'low' }],
  ])('a graver one that %s is no step before it', (_, change) => {
    expect(fallsWith(step('warning', 35), [step('critical', 30, change)])).toBeNull();
    expect(fallsWith(step('critical', 30, change), [step('warning', 35)])).toBeNull();
  });
  it('two that both rise with each other fall with none, in any order (any steps)', () => {
    const any = fc.record({
      severity: fc.constantFrom<Severity>('advisory', 'warning', 'critical'),
      setpoint: fc.integer({ min: -20, max: 20 }),
      onDelaySeconds: fc.constantFrom(0, 60),
      side: fc.constantFrom<Step['side']>('high', 'low'),
    });
    fc.assert(
      fc.property(any, any, (a, b) => {
        const [one, other] = [step(a.severity, a.setpoint, a), step(b.severity, b.setpoint, b)];
        expect(fallsWith(one, [other]) === null).toBe(fallsWith(other, [one]) === null);
      }),
    );
  });
});
