import { respond, type ThresholdVersion } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { aPoint, aThreshold, NOON, Rig } from '../../testing/rig';
import { RuleVersions } from './rule-versions';

const VERSION: ThresholdVersion = {
  ...{ version: 2, by: 'millwright', at: NOON, why: 'the beds were moved', side: 'low', setpoint: 18, deadband: 2 },
  ...{ onDelaySeconds: 60, offDelaySeconds: 60, severity: 'critical', judges: { kind: 'value' } },
};
const open = async (answer: unknown) => {
  const rig = await Rig.open(RuleVersions, {
    answers: [[respond.thresholdVersions, answer]],
    inputs: { rule: aThreshold({ id: 7 }), point: aPoint() },
  });
  rig.element.querySelector<HTMLElement>('mat-expansion-panel-header')!.click();
  await rig.settle();
  return rig;
};

it('what a rule has been: who, when, which limit and why', async () => {
  const rig = await open([VERSION, { ...VERSION, version: 1, by: 'baker', why: '', setpoint: 15, severity: 'advisory' }]);
  expect(rig.asked(respond.thresholdVersions)[0]?.params).toEqual({ id: 7 });
  const [newest, first] = rig.rows('tr.mat-mdc-row');
  expect(newest).toMatch(/^2 .* millwright at or below 18\.0 %, critical the beds were moved$/);
  expect(first).toMatch(/^1 .* baker at or below 15\.0 %, advisory –$/);
});
it('says so where they cannot be read', async () => {
  expect((await open(new ApiError(503, 'The database is away.'))).text).toContain('The database is away.');
});
