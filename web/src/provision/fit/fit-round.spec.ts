import { provision, type FitReply } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { aNode, aPoint, Rig } from '../../testing/rig';
import { FitList } from './fit-list';
import { FitRound } from './fit-round';
import { roundFigures, roundStaff, sharedReadings, standing, type RoundNode } from './round-figures';

type Need = FitReply['needs'][number];
const need = (change: Partial<Need> = {}): Need => ({
  id: 'signal',
  kind: 'signal',
  point: null,
  label: 'Signal in place',
  state: 'open',
  detail: '',
  by: null,
  at: null,
  selfTest: null,
  caution: null,
  tolerance: null,
  ...change,
});
const humidity = (state: Need['state'] = 'open'): Need =>
  need({ id: 'reading:humidity', kind: 'reading', point: 'humidity', label: 'Humidity', tolerance: 5, state });
const fit = (needs: Need[], fittedAt: number | null = null): FitReply => ({
  seconds: 60,
  fittedAt,
  fittedBy: fittedAt === null ? null : 'baker',
  needs,
  levels: [],
  askedUntil: null,
  photos: [],
  supply: { least: 3, battery: false, said: null },
});
const NAMES = ['fern-1', 'fern-2', 'fern-3'];
const nodes = NAMES.map((id) => aNode({ id, room: 'Fern house', fittedAt: null, state: 'proved' }));
const points = NAMES.map((node, i) => aPoint({ id: i + 1, node }));
const open = (answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = [], ids = NAMES) =>
  Rig.open(FitRound, {
    inputs: { nodes: ids.join(',') },
    snapshot: { nodes, points },
    answers: [[provision.fit, fit([need(), humidity()])], ...answers],
  });

describe('the round in figures', () => {
  const round: RoundNode[] = [
    { id: 'a', name: 'a', room: 'x', fit: fit([need({ state: 'passed' }), humidity('passed')], 1) },
    { id: 'b', name: 'b', room: 'x', fit: fit([need({ state: 'passed' }), humidity('not-possible')], 1) },
    { id: 'c', name: 'c', room: 'x', fit: fit([need(), humidity()]) },
    { id: 'd', name: 'd', room: 'y', fit: null },
  ];
  it('counts what is made, what is not possible, and says how each stands', () => {
    expect(roundFigures(round)).toEqual({ passed: 3, not: 1, all: 6, armed: 2 });
    expect(round.map(standing)).toEqual(['armed', 'armed in part', 'to do', 'reading']);
  });
  it('is a piece a node and a field a check, broken between the nodes, within its width', () => {
    const { fields, middles } = roundStaff(round, 640);
    expect([fields.length, middles.length]).toEqual([7, 4]);
    const last = fields.at(-1)!;
    expect(last.x + last.width).toBeCloseTo(640, 6);
    expect(fields[2]!.x - (fields[1]!.x + fields[1]!.width)).toBeCloseTo(12, 6);
  });
  it('a figure is typed once for like nodes of one room only', () => {
    const other = { id: 'e', name: 'e', room: 'y', fit: fit([humidity()]) };
    const like = [...['a', 'c'].map((id) => ({ id, name: id, room: 'x', fit: fit([humidity()]) })), other];
    const units = ['a', 'c', 'e'].map((node) => ({ node, name: 'humidity', unit: '%' }));
    expect(sharedReadings(like, units).map(({ room, of }) => [room, of.map(({ node }) => node)])).toEqual([['x', ['a', 'c']]]);
    expect(sharedReadings(like, units.slice(1))).toEqual([]);
  });
});

describe('a fitting round', () => {
  it('asks all for their signal by one press, and compares all with one figure', async () => {
    const rig = await open([
      [provision.askSignal, fit([need({ state: 'running' }), humidity()])],
      [provision.fitCheck, fit([need({ state: 'passed' }), humidity('passed')], 1)],
    ]);
    await rig.press('Take the signal of all 3');
    expect(rig.asked(provision.askSignal).map(({ params }) => params)).toEqual(NAMES.map((id) => ({ id })));
    expect(rig.text).toContain('go round meanwhile');
    expect(rig.button('Compare all 3 Humidity').disabled).toBe(true);
    await rig.fill('.one-hand input', '57');
    await rig.press('Compare all 3 Humidity');
    expect(rig.asked(provision.fitCheck).map(({ body }) => body)).toEqual(
      NAMES.map(() => ({ kind: 'reading', point: 'humidity', hand: 57, tolerance: 5 })),
    );
    expect(rig.text).toContain('3 armed');
  });
  it('what one node refuses keeps the others from nothing, and is said by its name', async () => {
    const answer = ({ params }: { params?: Record<string, unknown> }) =>
      params?.['id'] === 'fern-2' ? new ApiError(409, 'It is not connected.') : fit([need({ state: 'running' }), humidity()]);
    const rig = await open([[provision.askSignal, answer]]);
    await rig.press('Take the signal of all 3');
    expect(rig.asked(provision.askSignal)).toHaveLength(3);
    expect(rig.element.querySelector('[role=alert]')?.textContent).toContain('fern-2: It is not connected.');
  });
  it('a check that is not possible wants its reason, and says what stays unarmed', async () => {
    const rig = await open([[provision.fitCheck, fit([need({ state: 'passed' }), humidity('not-possible')], 1)]], ['fern-1']);
    await rig.press('Not possible : Humidity');
    expect(rig.text).toContain('Stays unarmed: every threshold on humidity');
    await rig.press('Keep these words');
    expect([rig.asked(provision.fitCheck), rig.text.includes('Say why it is not possible')]).toEqual([[], true]);
    await rig.press('no instrument here');
    expect(rig.asked(provision.fitCheck).map(({ body }) => body)).toEqual([
      { kind: 'not-possible', need: 'reading:humidity', because: 'no instrument here' },
    ]);
    expect(rig.text).toContain('armed in part');
  });
  it('names the machines that may start once they are armed, and nobody where nobody was chosen', async () => {
    const fan = need({ id: 'output:fan', kind: 'output', point: 'fan', label: 'Fan' });
    const rig = await open([[provision.fit, fit([need(), fan])]], ['fern-1']);
    expect(rig.text).toContain('Once armed these may start by themselves: fan.');
    expect((await open([], [])).text).toContain('Choose the nodes of the round under Fit.');
  });
});

it('nodes to fit are ticked into a round; what is fitted, or not proved yet, is not', async () => {
  const all = [...nodes, aNode({ id: 'done' }), aNode({ id: 'bare', state: 'planned', fittedAt: null })];
  const rig = await Rig.open(FitList, { snapshot: { nodes: all } });
  expect(rig.element.querySelectorAll('mat-checkbox')).toHaveLength(3);
  await rig.press('Tick all to fit');
  const begin = rig.button('Begin a round of 3');
  expect(decodeURIComponent(begin.getAttribute('href') ?? '')).toBe('/provision/fit-round?nodes=fern-1,fern-2,fern-3');
});
