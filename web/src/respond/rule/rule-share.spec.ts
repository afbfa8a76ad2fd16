import { aThreshold, Rig } from '../../testing/rig';
import { RuleShare } from './rule-share';
import { WhatFollows } from './what-follows';

const HEATS = aThreshold({ consequences: ['control'], output: 2, side: 'low', setpoint: 18, deadband: 2 });
const open = (what: WhatFollows) => Rig.open(RuleShare, { inputs: { what, side: 'low', setpoint: 18, clear: 20, unit: '°C' } });

it('runs for a share of each cycle: said what that is at its setpoint, and taken as it stands', async () => {
  const what = new WhatFollows(HEATS);
  expect(what.body(2)?.proportional).toBeNull();
  const rig = await open(what);
  expect(rig.element.querySelector('#t-band')).toBeNull();
  rig.element.querySelector<HTMLInputElement>('input[type=checkbox]')!.click();
  await rig.settle();
  expect(rig.text).toContain('At its setpoint it runs 5.0 of 10.0 min.');
  await rig.fill('#t-cycle', '4');
  await rig.fill('#t-band', '8');
  expect(rig.text).toContain('it runs 1.0 of 4.0 min');
  expect(what.body(2)?.proportional).toEqual({ band: 8, cycleSeconds: 240 });
  // What goes off, or switches nothing, has no share.
  expect(what.body(null)?.proportional ?? null).toBeNull();
  what.act.set('off');
  expect(what.body(2)?.proportional).toBeNull();
});
it('is what a rule has, there and back', () => {
  const proportional = { band: 3, cycleSeconds: 900 };
  expect(new WhatFollows({ ...HEATS, proportional }).body(2)?.proportional).toEqual(proportional);
});
