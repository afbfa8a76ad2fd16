import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatAutocompleteHarness } from '@angular/material/autocomplete/testing';
import { computed, type Computed } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { aNode, aPoint, NOON, Rig } from '../../testing/rig';
import { ComputedPage } from './computed-page';

const T = aPoint({ id: 2, name: 'temperature', label: 'Air temperature', unit: '°C' });
const H = aPoint({ id: 1 });
const DEW = aPoint({ id: 9, node: 'computed-loft', name: 'dew', label: 'Dew at the beam', unit: '°C', decimals: 1 });
const rule = (change: Partial<Computed> = {}): Computed => ({
  ...{ id: 9, node: 'computed-loft', name: 'dew', version: 2, formula: 'wet-bulb', madeBy: 'millwright', madeAt: NOON },
  inputs: [
    { node: 'loft-climate', point: 'temperature' },
    { node: 'loft-climate', point: 'humidity' },
  ],
  ...{ parameters: { pressure: 990 }, pairs: [], toleranceSeconds: 120, anewFrom: null, problem: null },
  ...change,
});
const open = (answers: Parameters<typeof Rig.open>[1]['answers'], role: 'maker' | 'keeper' = 'maker') =>
  Rig.open(ComputedPage, {
    snapshot: {
      me: { name: role, role },
      nodes: [aNode({ room: 'Grain loft' }), aNode({ id: 'computed-loft', name: 'Computed, Grain loft', kind: 'computed' })],
      points: [H, T, DEW],
      latest: [{ point: 9, at: NOON, value: 11.27, quality: 'good', reason: null, low: 10, high: 12, base: null }],
      rooms: [{ slug: 'grain-loft', name: 'Grain loft' }],
    },
    answers: answers ?? [],
  });
const field = (rig: Awaited<ReturnType<typeof open>>, selector: string): Promise<MatAutocompleteHarness> =>
  TestbedHarnessEnvironment.documentRootLoader(rig.fixture).getHarness(MatAutocompleteHarness.with({ selector }));
/** Types words into a field and takes the option that has them. */
const pick = async (rig: Awaited<ReturnType<typeof open>>, selector: string, words: string): Promise<void> => {
  const input = await field(rig, selector);
  await input.enterText(words);
  await input.selectOption({ text: new RegExp(words) });
};

describe('computed points', () => {
  it('say how, of which, by which figures, and what they show; keepers change nothing', async () => {
    const rig = await open([[computed.list, [rule()]]]);
    const [row] = rig.rows('.computed li');
    expect(row).toMatch(
      /Dew at the beam Computed, Grain loft Wet bulb temperature of Air temperature, loft-climate · .*, loft-climate air pressure here 990 hPa 11\.3 °C/,
    );
    const keeper = await open([[computed.list, [rule()]]], 'keeper');
    expect([keeper.text.includes('Compute a point'), keeper.text.includes('Take away')]).toEqual([false, false]);
  });

  it('one that stands still says why; nothing yet says what could be', async () => {
    const still = await open([[computed.list, [rule({ problem: 'A point that it is computed from is gone' })]]]);
    expect(still.text).toContain('is gone');
    expect((await open([[computed.list, []]])).text).toContain('choose a formula and the points it is made of');
    expect((await open([[computed.list, new ApiError(503, 'the database is away')]])).text).toContain('the database is away');
  });

  it('is made of points in the units that its formula wants, in the room of the first', async () => {
    const rig = await open([
      [computed.list, []],
      [computed.add, rule()],
    ]);
    await rig.press('Compute a point');
    await rig.press('Compute it').catch(() => undefined);
    expect(rig.asked(computed.add)).toEqual([]);
    await rig.fill('#c-formula', 'Dew point');
    await rig.press('Compute it');
    expect(rig.text).toContain('Choose the points.');
    await pick(rig, '#c-input-0', 'Air temperature');
    const humidity = await field(rig, '#c-input-1');
    await humidity.enterText('loft');
    // What is in °C is not offered where % is wanted.
    const offered = await Promise.all((await humidity.getOptions()).map((option) => option.getText()));
    expect(offered).toEqual([`${H.label}, loft-climate`]);
    await humidity.clear();
    await pick(rig, '#c-input-1', H.label);
    await rig.press('Compute it');
    expect(rig.asked(computed.add).map(({ body }) => body)).toEqual([
      {
        label: 'Dew point',
        room: 'Grain loft',
        formula: 'dew-point',
        inputs: [
          { node: 'loft-climate', point: 'temperature' },
          { node: 'loft-climate', point: 'humidity' },
        ],
        parameters: {},
        pairs: [],
        toleranceSeconds: 300,
      },
    ]);
  });

  it('is changed from the version that was read; a refusal is said and what was chosen stays', async () => {
    const rig = await open([
      [computed.list, [rule()]],
      [computed.change, new ApiError(409, 'This computed point was changed while you edited it')],
    ]);
    await rig.press('Change Dew at the beam');
    expect(rig.element.querySelector<HTMLInputElement>('#c-pressure')!.value).toBe('990');
    await rig.fill('#c-pressure', '1005');
    await rig.press('Compute it so from now on');
    expect(rig.asked(computed.change)[0]).toMatchObject({
      params: { id: 9 },
      body: { from: 2, formula: 'wet-bulb', parameters: { pressure: 1005 }, toleranceSeconds: 120 },
    });
    expect(rig.text).toContain('was changed while you edited it');
    expect(rig.element.querySelector<HTMLInputElement>('#c-pressure')!.value).toBe('1005');
  });

  it('a tank by its strapping table: the rows as they are typed, what a centimetre is worth; a row that is none is said', async () => {
    const rig = await Rig.open(ComputedPage, {
      snapshot: {
        me: { name: 'maker', role: 'maker' },
        nodes: [aNode({ room: 'Grain loft' })],
        points: [H, aPoint({ id: 5, name: 'level', label: 'Tank level', unit: 'cm' })],
      },
      answers: [
        [computed.list, []],
        [computed.add, rule()],
      ],
      // Somebody comes from calibrating its level.
      inputs: { formula: 'tank-table', of: '5' },
    });
    await rig.settle();
    await rig.fill('#c-table', '0 0\n40;180\n\n90 480 7');
    await rig.press('Compute it');
    expect(rig.text).toContain('A row of the table is two figures');
    await rig.fill('#c-table', '0 0\n40;180\n\n90\t480');
    expect(rig.text).toMatch(/Full, at 90 cm, it holds 480 l; a centimetre halfway up is 6\.0 l/);
    await rig.press('Compute it');
    expect(rig.asked(computed.add)[0]).toMatchObject({
      body: {
        ...{ formula: 'tank-table', room: 'Grain loft', inputs: [{ node: 'loft-climate', point: 'level' }] },
        pairs: [
          [0, 0],
          [40, 180],
          [90, 480],
        ],
      },
    });
  });

  it('is taken away after asking once', async () => {
    const rig = await open([
      [computed.list, [rule()]],
      [computed.remove, {}],
    ]);
    await rig.press('Take away Dew at the beam');
    expect(rig.asked(computed.remove)).toEqual([]);
    await rig.press('Take Dew at the beam away, with its record');
    expect(rig.asked(computed.remove)).toEqual([{ params: { id: 9 } }]);
  });
});
