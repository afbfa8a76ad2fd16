import { respond } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { aNode, aPoint, aThreshold, Rig } from '../../testing/rig';
import { RuleSays } from './rule-says';
import { WhatFollows } from './what-follows';

const READS = [
  { by: 'handset' as const, head: 'Too damp', body: 'The loft is at 70 %.' },
  { by: 'node' as const, head: '', body: 'Too damp. The loft is at 70 %.' },
];
const RULE = {
  ...{ point: 1, side: 'high', setpoint: 68, deadband: 2, onDelaySeconds: 0, offDelaySeconds: 0, severity: 'warning', output: null },
};
const WAY = {
  ...{ id: 4, kind: 'mail' as const, name: 'Millwright', to: 'a@example.org', least: 'advisory' as const, notices: true },
  ...{ madeBy: 'millwright', madeAt: 1, provedAt: null, failedAt: null, failure: null },
};

describe('what a rule says', () => {
  const what = (): WhatFollows => new WhatFollows(aThreshold({ consequences: ['alert'] }));
  const open = (rule: object | string, answer: unknown = { title: 'Too damp', text: 'The loft is at 70 %.', reads: READS }, own = what()) =>
    Rig.open(RuleSays, {
      answers: [
        [respond.ways, [WAY]],
        [respond.previewThreshold, answer as object],
      ],
      inputs: { what: own, ruleOf: () => rule },
    });
  it('is written once, and reads by each way as the server would send it', async () => {
    const own = what();
    const rig = await open(RULE, undefined, own);
    await rig.fill('#t-words-alert', 'The loft is at {value} {unit}.');
    await rig.fill('#t-route', 'Millwright');
    await rig.press('As it will read');
    expect(rig.asked(respond.previewThreshold)[0]?.body).toMatchObject({ point: 1, setpoint: 68 });
    expect(rig.text).toContain('Too damp The loft is at 70 %.');
    await rig.press('said by a node');
    expect(rig.text).toContain('Too damp. The loft is at 70 %.');
    expect(own.body(null)).toMatchObject({ words: { trip: null, clear: null, alert: 'The loft is at {value} {unit}.' }, route: [4] });
    // What was read is of the words that were: with others it is asked anew.
    await rig.fill('#t-words-alert', 'Other words.');
    expect(rig.text).not.toContain('Too damp.');
    // Words of an alert go where there is none any more.
    own.alerts.set(false);
    own.notices.set(true);
    expect(own.body(null)?.words).toBeNull();
  });
  it('another point is put in where somebody is writing, as it is named in a message', async () => {
    const own = what();
    const rig = await Rig.open(RuleSays, {
      snapshot: { nodes: [aNode()], points: [aPoint(), aPoint({ id: 2, node: 'weir-1', name: 'race-level', label: 'Race level' })] },
      answers: [[respond.ways, []]],
      inputs: { what: own, ruleOf: () => RULE },
    });
    await rig.fill('#t-words-alert', 'Open the sluice at  now.');
    const field = rig.element.querySelector<HTMLTextAreaElement>('#t-words-alert')!;
    field.setSelectionRange(19, 19);
    const search = rig.element.querySelector<HTMLInputElement>('#t-put-in')!;
    search.value = 'race';
    search.dispatchEvent(new Event('focusin'));
    search.dispatchEvent(new Event('input'));
    await rig.settle();
    const options = [...document.querySelectorAll<HTMLElement>('mat-option')];
    expect(options.map((option) => option.textContent?.trim())).toEqual(['Race level, weir-1']);
    options[0]!.click();
    await rig.settle();
    expect([own.wordsAlert(), search.value]).toEqual(['Open the sluice at {weir-1/race-level} now.', '']);
  });
  it('says what is missing, and what the server refuses', async () => {
    const rig = await open('What it is judged by is not whole yet.');
    await rig.press('As it will read');
    expect([rig.text.includes('not whole yet'), rig.asked(respond.previewThreshold)]).toEqual([true, []]);
    const refused = await open(RULE, new ApiError(422, 'There is no point x at y.'));
    await refused.press('As it will read');
    expect(refused.text).toContain('There is no point x at y.');
  });
});
