import { respond, watch, type Threshold } from '@dewpost/contract';
import { TestBed } from '@angular/core/testing';
import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatAutocompleteHarness } from '@angular/material/autocomplete/testing';
import { MatButtonHarness } from '@angular/material/button/testing';
import { MatCheckboxHarness } from '@angular/material/checkbox/testing';
import { MatButtonToggleHarness } from '@angular/material/button-toggle/testing';
import { ErrorStateMatcher } from '@angular/material/core';
import { MAT_DIALOG_DATA, MatDialogRef } from '@angular/material/dialog';
import { MatFormFieldHarness } from '@angular/material/form-field/testing';
import { MatInputHarness } from '@angular/material/input/testing';
import { MatSelectHarness } from '@angular/material/select/testing';
import { ApiError } from '../data/api';
import { SaidErrorStateMatcher } from '../parts/said';
import { aNode, aPoint, aThreshold, Rig } from '../testing/rig';
import { RehearsalWorkers } from './record/rehearser';
import { ThresholdDialog } from './threshold-dialog';

const output = {
  guards: { minOnSeconds: 0, minOffSeconds: 300, maxRunSeconds: 1800, restSeconds: 600 },
  leaseSeconds: 60,
  readBack: 'contact' as const,
  caution: 'Blades: keep clear.',
};
const points = [
  aPoint(),
  aPoint({ id: 2, name: 'fan', label: 'Fan', kind: 'switched', unit: '', max: 1, decimals: 0, output }),
  ...Array.from({ length: 200 }, (_, i) => aPoint({ id: 10 + i, node: `node-${Math.floor(i / 5)}`, name: `p${i}`, label: `Point ${i}` })),
];
const kept = aThreshold({ id: 7, version: 3 });

async function open(
  before: Threshold | null,
  answers: Parameters<typeof Rig.open>[1]['answers'] = [],
  thresholds: Threshold[] = [],
  more = points,
) {
  const close = jest.fn();
  const rig = await Rig.open(ThresholdDialog, {
    snapshot: { nodes: [aNode()], points: more, thresholds },
    answers: [[watch.history, { point: { id: 1, label: 'Humidity', unit: '%' }, thinned: false, readings: [] }], ...answers],
    providers: [
      {
        provide: RehearsalWorkers,
        useValue: { open: () => Promise.resolve({ postMessage: () => undefined, terminate: () => undefined }) },
      },
      { provide: MAT_DIALOG_DATA, useValue: before },
      { provide: MatDialogRef, useValue: { close } },
      { provide: ErrorStateMatcher, useClass: SaidErrorStateMatcher },
    ],
  });
  const loader = TestbedHarnessEnvironment.loader(rig.fixture);
  // Lists open in an overlay outside the component.
  const outside = TestbedHarnessEnvironment.documentRootLoader(rig.fixture);
  const field = (label: string) => loader.getHarness(MatFormFieldHarness.with({ floatingLabelText: label }));
  const input = async (label: string) => (await (await field(label)).getControl(MatInputHarness))!;
  const press = async (text: string) => (await loader.getHarness(MatButtonHarness.with({ text }))).click();
  return { rig, loader, outside, field, input, press, close };
}

describe('the threshold dialog', () => {
  it('sends along with a change the rules that were chosen to say the same, each by the version that was seen', async () => {
    const twin = { ...kept, id: 8, point: 500, version: 5 };
    const answers: Parameters<typeof Rig.open>[1]['answers'] = [[respond.changeThreshold, kept]];
    const { rig, outside, press } = await open(kept, answers, [kept, twin], [...points, aPoint({ id: 500, node: 'loft-2' })]);
    const alike = await outside.getHarness(MatSelectHarness.with({ selector: '#t-alike' }));
    await alike.open();
    await alike.clickOptions();
    await alike.close();
    await press('Arm version 4');
    expect(rig.asked(respond.changeThreshold)[0]?.body).toMatchObject({ from: 3, others: [{ id: 8, from: 5 }] });
  });

  it('says where a ladder of limits falls, and of which other it is; one that rises, or is only noticed, is passed over', async () => {
    const warning = aThreshold({ id: 8, side: 'high', setpoint: 60, severity: 'warning', onDelaySeconds: 60 });
    const { rig, input } = await open(
      aThreshold({ id: 7, version: 3, side: 'high', setpoint: 70, severity: 'critical', onDelaySeconds: 60, hours: null }),
      [],
      [warning, aThreshold({ id: 9, side: 'high', setpoint: 90, severity: 'advisory', consequences: ['notice'] })],
    );
    expect(rig.text).not.toContain('A ladder rises');
    await (await input('Setpoint')).setValue('58');
    expect(rig.text).toContain('with the warning alert at 60.0 % the lesser of the two never says anything of its own');
    await (await input('Setpoint')).setValue('61');
    expect(rig.text).not.toContain('A ladder rises');
  });

  it('arms nothing before a setpoint is there, and says so at the field', async () => {
    const { rig, field, input, press } = await open(null);
    await press('Arm');
    expect([await (await field('Setpoint')).getTextErrors(), await (await field('Deadband')).getTextErrors()]).toEqual([
      ['needed'],
      ['needed'],
    ]);
    const deadband = await input('Deadband');
    await deadband.setValue('-1');
    await deadband.blur();
    expect(await (await field('Deadband')).getTextErrors()).toEqual(['a deadband is not negative']);
    expect(rig.asked(respond.addThreshold)).toEqual([]);
  });
  it('chooses among 200 points by words, by node; arms what was set', async () => {
    const { rig, loader, input, press, close } = await open(null, [
      [respond.addThreshold, { ...kept, id: 9, version: 1, point: 101, output: 2 }],
    ]);
    const list = await loader.getHarness(MatAutocompleteHarness);
    // A browser replaces what is chosen; the harness types behind it.
    await list.clear();
    await list.enterText('node-18 91');
    expect(await Promise.all((await list.getOptions()).map((option) => option.getText()))).toEqual(['Point 91']);
    await list.selectOption({ text: 'Point 91' });
    expect(await list.getValue()).toBe('node-18: Point 91');
    await (await input('Setpoint')).setValue('80.5');
    await (await input('Deadband')).setValue('2');
    await (await loader.getHarness(MatButtonToggleHarness.with({ text: 'at or above' }))).check();
    await (await loader.getHarness(MatButtonToggleHarness.with({ text: 'critical' }))).check();
    const select = await loader.getHarness(MatSelectHarness.with({ selector: '#t-output' }));
    expect(await select.getValueText()).toBe('nothing');
    await select.open();
    await select.clickOptions({ text: /Fan/ });
    expect(rig.text).toContain('Blades: keep clear.');
    await (await loader.getHarness(MatCheckboxHarness.with({ label: /^an alert/ }))).uncheck();
    expect(rig.text).toContain('It is switched silently');
    await (await loader.getHarness(MatCheckboxHarness.with({ label: /^a notice/ }))).check();
    await rig.fill('#t-words-trip', 'Air too damp: {value} {unit}');
    await rig.fill('#t-expect-by', '2');
    await rig.fill('#t-expect-within', '4');
    await press('Arm');
    expect(rig.asked(respond.addThreshold)[0]?.body).toEqual({
      others: [],
      proportional: null,
      hours: null,
      unless: null,
      expects: { by: 2, withinSeconds: 240 },
      point: 101,
      side: 'high',
      setpoint: 80.5,
      deadband: 2,
      onDelaySeconds: 60,
      offDelaySeconds: 60,
      severity: 'critical',
      output: 2,
      tells: 'alert',
      consequences: ['control', 'notice'],
      act: 'on',
      words: { trip: 'Air too damp: {value} {unit}', clear: null, alert: null },
      route: null,
      then: [],
      judges: { kind: 'value' },
      also: null,
      latching: false,
    });
    expect(close).toHaveBeenCalled();
  });
  it('keeps what was typed when the server refuses, and lays the reason at its field', async () => {
    const { rig, field, input, press, close } = await open(kept, [
      [respond.changeThreshold, new ApiError(422, 'no', [{ path: 'body.setpoint', message: 'outside what the sensor can read' }])],
    ]);
    expect(await (await input('Point')).isDisabled()).toBe(true);
    await (await input('Setpoint')).setValue('180');
    await press('Arm version 4');
    expect([await (await field('Setpoint')).getTextErrors(), await (await input('Setpoint')).getValue()]).toEqual([
      ['outside what the sensor can read'],
      '180',
    ]);
    await (await input('Setpoint')).setValue('90');
    expect(await (await field('Setpoint')).getTextErrors()).toEqual([]);
    expect([close.mock.calls.length, rig.element.querySelectorAll('[role=alert]').length]).toEqual([0, 0]);
    expect(TestBed.inject(ErrorStateMatcher)).toBeInstanceOf(SaidErrorStateMatcher);
  });
  it('asks what each kind needs, in the unit that it is set in, and arms nothing while something is missing', async () => {
    const { rig, loader, field, input, press } = await open(kept, [[respond.changeThreshold, kept]]);
    await rig.fill('#t-judges', 'how often it comes within a time');
    expect(await Promise.all(['How often', 'Comes to', 'Within'].map(async (label) => (await field(label)).getLabel()))).toHaveLength(3);
    expect(rig.element.querySelector('#t-side')?.parentElement?.hidden).toBe(true);
    await press('Arm version 4');
    expect([rig.asked(respond.changeThreshold), rig.text.includes('Type the level that it comes to')]).toEqual([[], true]);
    await rig.fill('#t-level', '80');
    await rig.fill('#t-within', '60');
    await (await input('How often')).setValue('4');
    await (await loader.getHarness(MatCheckboxHarness.with({ label: /^latched/ }))).check();
    await press('Arm version 4');
    expect(rig.asked(respond.changeThreshold)[0]?.body).toMatchObject({
      side: 'high',
      setpoint: 4,
      judges: { kind: 'count', level: 80, withinSeconds: 3600 },
      also: null,
      latching: true,
    });
  });
  it('a band has a lower end beside the upper one, and clears inside of either; a second condition is on another point', async () => {
    const { rig, loader, input, press } = await open(kept, [[respond.changeThreshold, kept]]);
    await rig.fill('#t-judges', 'its value, outside a band');
    await rig.fill('#t-low', '40');
    await (await input('Upper end')).setValue('70');
    await (await input('Deadband')).setValue('2');
    expect(rig.text).toContain('Clears 2.0 % inside of either end.');
    await (await loader.getHarness(MatButtonToggleHarness.with({ text: 'and another' }))).check();
    expect(rig.text).toContain('Choose the point of the second condition');
    const list = await loader.getHarness(MatAutocompleteHarness.with({ selector: '#t-also' }));
    await list.enterText('Point 91');
    await list.selectOption({ text: /Point 91/ });
    await rig.fill('#t-also-setpoint', '55');
    await press('Arm version 4');
    expect(rig.asked(respond.changeThreshold)[0]?.body).toMatchObject({
      judges: { kind: 'band', low: 40 },
      also: { join: 'and', point: 101, side: 'high', setpoint: 55 },
    });
  });
  it('from which nothing would follow is not armed', async () => {
    const { rig, loader, input, press } = await open(kept);
    await (await loader.getHarness(MatCheckboxHarness.with({ label: /^an alert/ }))).uncheck();
    await (await input('Setpoint')).setValue('80');
    await press('Arm version 4');
    expect([rig.asked(respond.changeThreshold), rig.text.includes('Nothing would follow from it')]).toEqual([[], true]);
  });
});
