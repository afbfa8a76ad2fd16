import { drills, type Drill } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { NOON, Rig } from '../../testing/rig';
import { DrillsPage } from './drills-page';

const aDrill = (change: Partial<Drill> = {}): Drill => ({
  ...{ id: 3, kind: 'flood', by: 'millwright', begunAt: NOON - 60_000, endedAt: NOON, endedWhy: 'every step has ended', passed: true },
  steps: [{ what: 'The float raises an alert', limitMs: 5000, notBeforeMs: 0, ms: 120 }],
  ...change,
});
const open = (
  list: { hindered?: string | null; running?: Drill | null; before?: Drill[] },
  answers: Parameters<typeof Rig.open>[1]['answers'] = [],
) =>
  Rig.open(DrillsPage, {
    snapshot: {},
    answers: [[drills.list, { hindered: null, running: null, before: [], ...list }], ...answers],
  });
const kinds = (rig: Rig<DrillsPage>): string[] => rig.rows('.rule').map((row) => row.replace(/\s+/g, ' '));

const look = async (rig: Rig<DrillsPage>, title: string): Promise<void> => {
  [...rig.element.querySelectorAll<HTMLButtonElement>('.rule')].find((row) => row.textContent.includes(title))?.click();
  await rig.settle();
};
const isOffered = (rig: Rig<DrillsPage>): boolean => rig.rows('button').includes('Run this drill');

it('shows what came of each last, and the steps of the one that is looked at against their limits', async () => {
  const late = aDrill({
    id: 2,
    kind: 'power-cut',
    passed: false,
    steps: [{ what: 'all report in', limitMs: 180_000, notBeforeMs: 0, ms: 214_000 }],
  });
  const rig = await open({ before: [aDrill(), late] });
  expect(rig.text).toContain('8 drills, 2 run, 1 failed');
  expect(kinds(rig)[0]).toMatch(/^Flood .* passed/);
  expect(kinds(rig).filter((row) => row.endsWith('never run'))).toHaveLength(6);
  expect(rig.rows('td').join(' ')).toContain('0.12');
  await look(rig, 'Power cut');
  expect(rig.text).toContain('too late');
  expect(rig.element.querySelector('.on-paper')?.textContent).toMatch(/drill “Power cut” on stand-ins.*Failed\. Signed:/s);
});

it('says which step did not happen, and that it came too early', async () => {
  const steps = [
    { what: 'the alert', limitMs: 65_000, notBeforeMs: 59_000, ms: 100 },
    { what: 'somebody is told', limitMs: 10_000, notBeforeMs: 0, ms: null },
  ];
  const rig = await open({ before: [aDrill({ passed: false, steps })] });
  expect(rig.rows('td.row-head')).toEqual([expect.stringContaining('too early'), expect.stringContaining('it did not')]);
});

it('runs one, says why it cannot, and stops the one that is under way; others wait', async () => {
  const rig = await open({}, [[drills.begin, new ApiError(409, 'A drill by baker is under way.', [])]]);
  await rig.press('Run this drill');
  expect([rig.asked(drills.begin)[0]?.params, rig.text.includes('A drill by baker is under way.')]).toEqual([{ kind: 'flood' }, true]);

  const running = aDrill({ passed: null, endedAt: null, endedWhy: null });
  const busy = await open({ running }, [[drills.stop, running]]);
  expect(busy.text).toContain('under way: The float raises an alert');
  await busy.press('Stop and put back');
  expect(busy.asked(drills.stop)[0]?.params).toEqual({ id: 3 });
  await look(busy, 'Power cut');
  expect([busy.text.includes('one at a time'), isOffered(busy)]).toEqual([true, false]);
});

it('without stand-ins offers none, and says what they are for', async () => {
  const rig = await open({ hindered: 'There are no stand-ins here: drills are for them, and never touch a real node.' });
  expect([rig.text.includes('never touch a real node'), isOffered(rig)]).toEqual([true, false]);
});
