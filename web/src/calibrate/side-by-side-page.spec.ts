import { TestbedHarnessEnvironment } from '@angular/cdk/testing/testbed';
import { MatAutocompleteHarness } from '@angular/material/autocomplete/testing';
import { calibrate, watch } from '@dewpost/contract';
import { ApiError } from '../data/api';
import { aNode, aPoint, Rig } from '../testing/rig';
import { SideBySidePage } from './side-by-side-page';

const NAMES = ['oven', 'cellar', 'loft', 'weir', 'attic'];
const POINTS = NAMES.map((node, i) => aPoint({ id: i + 1, node, name: 'temperature', label: 'Air temperature', unit: '°C', decimals: 1 }));
/** At a stretch of five minutes. */
const BEGUN = Math.floor(Date.now() / 300_000) * 300_000 - 3_600_000;
/** A minute apart; the third is two degrees too warm. */
const readings = ({ params }: { params?: Record<string, unknown> }): object => {
  const i = NAMES.indexOf(String(params?.['node']));
  const values = Array.from({ length: 60 }, (_, minute) => 20 + (((minute * 7 + i * 3) % 11) - 5) / 20 + (i === 2 ? 2 : 0));
  return {
    point: { id: i + 1, label: 'Air temperature', unit: '°C' },
    thinned: false,
    readings: values.map((value, minute) => [BEGUN + minute * 60_000, value, 0]),
    raw: values.map((value) => [value - 100, 0]),
  };
};
const open = (answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = [], role: 'maker' | 'keeper' = 'maker') =>
  Rig.open(SideBySidePage, {
    snapshot: {
      me: { name: role, role },
      nodes: NAMES.map((id) => aNode({ id })),
      points: [
        ...POINTS,
        aPoint({ id: 9, node: 'oven', unit: '%' }),
        aPoint({ id: 10, node: 'loft', name: 'bare', unit: 'counts', uncalibrated: true }),
      ],
    },
    answers: [[watch.history, readings], ...answers],
  });
const field = (rig: Awaited<ReturnType<typeof open>>): Promise<MatAutocompleteHarness> =>
  TestbedHarnessEnvironment.documentRootLoader(rig.fixture).getHarness(MatAutocompleteHarness.with({ selector: '#s-point' }));
const add = async (rig: Awaited<ReturnType<typeof open>>, ...nodes: string[]): Promise<void> => {
  for (const node of nodes) {
    const input = await field(rig);
    await input.enterText(node);
    await input.selectOption({ text: new RegExp(node) });
    await input.clear();
  }
  for (let i = 0; i < 3; i++) await rig.settle();
};

describe('points side by side', () => {
  it('finds the odd one out against their median, and keeps an offset for what is ticked alone', async () => {
    const version = {
      version: 1,
      method: 'offset',
      captures: [],
      recipe: null,
      coefficients: { gain: 1, offset: 98 },
      uncertainty: 0.03,
      from: BEGUN,
      dueAt: null,
    };
    const answer = {
      ...version,
      note: '',
      madeBy: 'maker',
      madeAt: BEGUN,
      withdrawnAt: null,
      withdrawnBy: null,
      residuals: [],
      rSquared: null,
      leaveOneOut: null,
      reconverted: 0,
    };
    const rig = await open([[calibrate.add, answer]]);
    await add(rig, 'oven');
    expect(rig.text).toContain('Choose two points at least');
    await add(rig, 'cellar', 'loft', 'weir', 'attic');
    const rows = rig.rows('.compared li');
    expect(rows).toHaveLength(5);
    expect(rows.find((row) => row.includes('loft'))).toMatch(
      /\+ (1\.9|2\.0)\d °C .*is off, and the odd one out puts it right: − (1\.9|2\.0)\d °C to all it shows/,
    );
    expect(rows.filter((row) => row.includes('odd one out'))).toHaveLength(1);
    await rig.press('Keep for 1 point');
    const asked = rig.asked(calibrate.add);
    expect(asked.map(({ params }) => params)).toEqual([{ node: 'loft', point: 'temperature' }]);
    const { method, captures, note } = asked[0]!.body as { method: string; captures: { raw: number; reference: number }[]; note: string };
    expect([method, captures.length, note]).toEqual(['offset', 1, 'side by side with the median of those beside it, 1 h, 12 stretches']);
    // By what its node sends, not by what is shown.
    expect(captures[0]!.raw).toBeCloseTo(22 - 100, 1);
    expect(captures[0]!.reference).toBeCloseTo(20, 1);
    expect(rig.text).toContain('Kept from now on for Air temperature, loft');
  });

  it('offers what measures in the same unit and can be compared; a trusted one is not judged', async () => {
    const rig = await open();
    await add(rig, 'loft');
    const input = await field(rig);
    await input.focus();
    expect(await Promise.all((await input.getOptions()).map((one) => one.getText()))).toEqual(
      ['oven', 'cellar', 'weir', 'attic'].map((node) => `Air temperature, ${node}`),
    );
    await add(rig, 'oven');
    await rig.fill('#s-reference', 'Air temperature, loft, trusted');
    for (let i = 0; i < 3; i++) await rig.settle();
    expect(rig.rows('.compared li').map((row) => /oven.*− (1\.9|2\.0)/.test(row))).toEqual([true]);
  });

  it('what could not be kept is said and stays ticked; keepers look on; a failing server is said', async () => {
    const rig = await open([[calibrate.add, new ApiError(409, 'somebody else has calibrated it')]]);
    await add(rig, 'oven', 'loft');
    await rig.press(rig.text.includes('Keep for 2 points') ? 'Keep for 2 points' : 'Keep for 1 point');
    expect(rig.text).toContain('somebody else has calibrated it');
    expect(rig.element.querySelectorAll('.compared input:checked').length).toBeGreaterThan(0);
    const keeper = await open([], 'keeper');
    await add(keeper, 'oven', 'loft');
    expect(keeper.text).not.toContain('Keep for');
    const away = await open([[watch.history, new ApiError(503, 'the database is away')]]);
    await add(away, 'oven', 'loft');
    expect(away.text).toContain('the database is away');
  });
});
