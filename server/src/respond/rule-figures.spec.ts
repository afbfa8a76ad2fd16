import { proportionFault } from './rule-figures';

it('a cycle leaves room for its output’s shortest run and pause, four times over', () => {
  const rule = { act: 'on', judges: { kind: 'value' }, also: null, then: [] } as const;
  const fault = (cycleSeconds: number) =>
    proportionFault({ ...rule, then: [], proportional: { band: 4, cycleSeconds } }, { minOnSeconds: 60, minOffSeconds: 90 });
  expect(fault(599)).toMatchObject({
    path: 'proportional.cycleSeconds',
    message: expect.stringMatching(/four times both, 600 s/) as string,
  });
  expect(fault(600)).toBeNull();
  expect(proportionFault({ ...rule, then: [], proportional: null }, undefined)).toBeNull();
});
