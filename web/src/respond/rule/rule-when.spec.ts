import type { Threshold } from '@dewpost/contract';
import { aNode, aPoint, aThreshold, Rig } from '../../testing/rig';
import { RuleWhen, whenWords } from './rule-when';
import { WhatFollows } from './what-follows';

const WEEK = { weekdays: [1, 2, 3, 4, 5], from: 480, to: 1080 };

describe('when a rule is judged', () => {
  const open = (hours: Threshold['hours'], own: number | null = null) =>
    Rig.open(RuleWhen, {
      snapshot: { nodes: [aNode()], points: [aPoint()], thresholds: [aThreshold({ id: 1 }), aThreshold({ id: 2, setpoint: 90 })] },
      inputs: { own, hours },
    });

  it('is said in words: days, times, over midnight, all day', () => {
    expect(whenWords(null)).toBe('');
    expect(whenWords(WEEK)).toBe('Mon to Fri, 08:00 to 18:00');
    expect(whenWords({ weekdays: [7, 6], from: 0, to: 0 })).toBe('Sat, Sun, all day');
  });

  it('is always, until somebody says otherwise', async () => {
    const rig = await open(null);
    expect(rig.element.querySelector('#t-hours-from')).toBeNull();
    rig.element.querySelector<HTMLInputElement>('mat-checkbox input')?.click();
    await rig.settle();
    expect(rig.fixture.componentInstance.hours()).toEqual({ weekdays: [1, 2, 3, 4, 5, 6, 7], from: 360, to: 1320 });
    expect(rig.text).toContain('Judged every day, 06:00 to 22:00');
    expect(rig.text).toContain('The node does not follow it alone');
  });

  it('keeps what was typed, and lets nothing be armed by what is no time of day', async () => {
    const rig = await open(WEEK);
    await rig.fill('#t-hours-from', '7:3');
    expect([rig.fixture.componentInstance.fault(), rig.fixture.componentInstance.hours()]).toEqual([
      '“7:3” is no time of day: type it as 06:30.',
      WEEK,
    ]);
    await rig.fill('#t-hours-from', '7:30');
    expect([rig.fixture.componentInstance.fault(), rig.fixture.componentInstance.hours()?.from]).toEqual([null, 450]);
  });

  it('taken back, takes what could not be used with it: the rule can be armed again', async () => {
    const rig = await open(WEEK);
    await rig.fill('#t-hours-to', 'noon');
    rig.element.querySelector<HTMLInputElement>('mat-checkbox input')?.click();
    await rig.settle();
    expect([rig.fixture.componentInstance.fault(), rig.fixture.componentInstance.hours()]).toEqual([null, null]);
  });

  it('offers every other rule to wait for, never the rule itself', async () => {
    const rig = await open(null, 1);
    await rig.fill('.other mat-select', 'loft-climate: Humidity ≥ 90.0 %');
    expect(rig.fixture.componentInstance.unless()).toBe(2);
    await expect(rig.fill('.other mat-select', 'loft-climate: Humidity ≥ 75.0 %')).rejects.toThrow(/there is no/);
  });
});

describe('what follows from a trip', () => {
  it('is what a rule has, there and back', () => {
    const rule = aThreshold({
      ...{ consequences: ['alert', 'control', 'notice'], act: 'off', output: 2, words: { trip: 'Hot', clear: null, alert: null } },
      ...{ expects: { by: 2, withinSeconds: 600 }, hours: WEEK, unless: 9, route: [4] },
    });
    const { consequences, act, words, expects, hours, unless, route } = rule;
    // What goes off has no order.
    expect(new WhatFollows(rule).body(2)).toEqual({
      consequences,
      act,
      words,
      expects,
      hours,
      unless,
      route,
      proportional: null,
      then: [],
    });
    const inOrder = aThreshold({ consequences: ['control'], output: 2, then: [{ output: 3, afterSeconds: 30 }] });
    expect([new WhatFollows(inOrder).body(2)?.then, new WhatFollows(inOrder).body(null)]).toEqual([
      [{ output: 3, afterSeconds: 30 }],
      null,
    ]);
  });
  it('of a rule without an output switches nothing and expects nothing; and nothing at all is no rule', () => {
    const what = new WhatFollows(aThreshold({ act: 'off', expects: { by: 2, withinSeconds: 600 } }));
    expect(what.body(null)).toMatchObject({ consequences: ['alert'], act: 'on', expects: null });
    what.alerts.set(false);
    expect(what.body(null)).toBeNull();
    expect(what.words(false)).toMatch(/^Nothing would follow/);
  });
});
