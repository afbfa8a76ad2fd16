import { respond, routes, type RoutePlan, type RoutesView } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { Rig } from '../../testing/rig';
import { draftOfPlan, planFindings, planOfDraft } from './route-form';
import { RoutesPage } from './routes-page';

const course = (afterMinutes: number, to: (number | 'handset')[], everyMinutes: number | null = null) => ({
  afterMinutes,
  to,
  everyMinutes,
});
const PLAN: RoutePlan = {
  quiet: { from: 22 * 60, to: 6 * 60 + 30 },
  routes: {
    critical: { courses: [course(0, ['handset'], 2), course(10, [4])], quiet: 'tell', allClear: 'always' },
    warning: { courses: [course(0, ['handset'])], quiet: 'keep', allClear: 'never' },
    advisory: { courses: [], quiet: 'keep', allClear: 'never' },
  },
  flood: 'sum',
  news: ['restarted'],
  allWell: { minute: 7 * 60, to: [4] },
};
const view = (change: Partial<RoutesView> = {}): RoutesView => ({ version: 2, plan: PLAN, handset: true, ...change });
const WAY = {
  ...{
    id: 4,
    kind: 'mail',
    name: 'Millwright',
    to: 'wright@example.org',
    least: 'advisory',
    notices: true,
    madeBy: 'millwright',
    madeAt: 0,
  },
  ...{ provedAt: null, failedAt: null, failure: null },
};
const open = (answers: Parameters<typeof Rig.open>[1]['answers'] = [], role: 'maker' | 'keeper' = 'maker') =>
  Rig.open(RoutesPage, {
    snapshot: { me: { name: 'millwright', role } },
    answers: [[routes.read, view()], [respond.ways, [WAY]], ...answers!],
  });

describe('a plan of routes as it is typed', () => {
  it('comes back as it was laid', () => {
    expect(planOfDraft(draftOfPlan(PLAN))).toEqual(PLAN);
    const none: RoutePlan = { ...PLAN, quiet: null, flood: 'each', allWell: null };
    expect(planOfDraft(draftOfPlan(none))).toEqual(none);
  });
  it('half a span of hours, falling courses and a critical alert without the handset are found', () => {
    const draft = draftOfPlan(PLAN);
    expect(planFindings({ ...draft, quietTo: '' }, new Set(['handset' as const]))).toEqual([
      { path: ['quietTo'], message: 'both, or none' },
    ]);
    const fallen = { ...draft, warning: { ...draft.warning, courses: [course(5, [4]), course(5, [4])] } };
    expect(planFindings(fallen, new Set(['handset' as const]))).toEqual([
      { path: ['warning', 'quiet'], message: expect.stringMatching(/courses rise/) },
    ]);
    const far = { ...draft, critical: { ...draft.critical, courses: [course(0, [4])] } };
    expect(planFindings(far, new Set(['handset' as const]))[0]!.message).toMatch(/inside the building/);
    expect(planFindings(far, new Set())).toEqual([]);
    // A node that speaks in the building does as well.
    expect(planFindings(far, new Set(['handset' as const, 4]))).toEqual([]);
  });
});

describe('the page of routes', () => {
  it('says what would happen at an hour, by the code that sends', async () => {
    const rig = await open();
    expect(rig.text).toContain(
      'A critical alert tells handset in the building at once. Unacknowledged it goes to Millwright, mail at 03:20. When it is over they hear of it.',
    );
    expect(rig.text).toContain('A warning alert is kept until 06:30, and then tells handset in the building.');
    expect(rig.text).toContain('An advisory alert tells nobody: it stands on the page of alerts.');
    await rig.fill('#r-when', '12:00');
    expect(rig.text).toContain('A warning alert tells handset in the building at once.');
  });
  it('another course, another hour: kept with the version it began from; what cannot be never goes', async () => {
    const rig = await open([[routes.write, view({ version: 3 })]]);
    expect(rig.button('Keep these routes').disabled).toBe(true);
    await rig.press('Another course of warning');
    await rig.press('Keep these routes');
    expect([rig.asked(routes.write), rig.text]).toEqual([[], expect.stringMatching(/Not kept: see the fields\..*choose whom/)]);
    await rig.fill('#r-warning-to-1', 'Millwright, mail');
    await rig.fill('#r-quiet-to', '');
    await rig.press('Keep these routes');
    expect(rig.asked(routes.write)).toEqual([]);
    expect(rig.text).toContain('both, or none');
    await rig.fill('#r-quiet-to', '07:00');
    await rig.press('Keep these routes');
    expect(rig.asked(routes.write)[0]!.body).toMatchObject({
      from: 2,
      plan: { quiet: { from: 1320, to: 420 }, routes: { warning: { courses: [{}, { afterMinutes: 10, to: [4], everyMinutes: null }] } } },
    });
    expect(rig.text).toContain('These routes hold from now on');
  });
  it('taking the handset from critical alerts is said at once', async () => {
    const rig = await open();
    await rig.press('Take away course 1 of critical');
    expect(rig.text).toMatch(/a critical alert is told at once/);
  });
  it('somebody was faster: what was typed stays, and either may be taken', async () => {
    const theirs = view({ version: 9, plan: { ...PLAN, quiet: null } });
    const rig = await open([[routes.write, () => Promise.reject(new ApiError(409, 'Version 9 is in force.', [], theirs))]]);
    await rig.fill('#r-quiet-from', '21:00');
    await rig.press('Keep these routes');
    expect(rig.text).toContain('version 9 is in force. What you typed is still here.');
    expect(rig.element.querySelector<HTMLInputElement>('#r-quiet-from')!.value).toBe('21:00');
    await rig.press('Take what is in force');
    expect(rig.element.querySelector<HTMLInputElement>('#r-quiet-from')!.value).toBe('');
  });
  it('a keeper reads what would happen, and lays nothing', async () => {
    const rig = await open([], 'keeper');
    expect(rig.text).toContain('A critical alert tells');
    expect(rig.element.querySelector('form')).toBeNull();
    expect(rig.asked(respond.ways)).toEqual([]);
  });
});
