import { plan, watch, type Happening } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { aPoint, NOON, Rig } from '../../testing/rig';
import { JudgingPanel } from './judging-panel';
import { PointNotes } from './point-notes';

const POINT = aPoint();
const note = (change: Partial<Happening> = {}): Happening => ({
  ...{ id: 1, at: NOON, kind: 'note', text: 'cobweb wiped', ofNode: false, by: 'baker' },
  ...change,
});

describe('notes at a point', () => {
  const open = (
    role: 'maker' | 'keeper',
    happenings: readonly Happening[],
    answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = [],
  ) =>
    Rig.open(PointNotes, {
      snapshot: { me: { name: role === 'maker' ? 'millwright' : 'baker', role }, points: [POINT] },
      answers,
      inputs: { point: POINT, happenings, zone: 'UTC', at: NOON },
    });

  it('one may be taken away by who wrote it or a maker; what happened by itself by nobody', async () => {
    const all = [
      note(),
      note({ id: 2, by: 'millwright', text: 'moved' }),
      note({ id: 3, kind: 'firmware', by: null, text: '1.0.0 → 1.1.0', ofNode: true }),
    ];
    const removable = async (role: 'maker' | 'keeper'): Promise<number> =>
      (await open(role, all)).element.querySelectorAll('li button').length;
    expect([await removable('maker'), await removable('keeper')]).toEqual([2, 1]);
    const rig = await open('keeper', all, [[watch.removeNote, {}]]);
    expect(rig.text).toMatch(/firmware 1\.0\.0 → 1\.1\.0/);
    rig.element.querySelector<HTMLButtonElement>('li button')?.click();
    await rig.settle();
    expect(rig.asked(watch.removeNote)).toEqual([{ params: { id: 1 } }]);
  });

  it('is written at the time that is looked at; refused, what was typed stays', async () => {
    const rig = await open('keeper', [], [[watch.addNote, new ApiError(503, 'the database is away')]]);
    await rig.press('Write a note');
    expect(rig.button('Keep the note').disabled).toBe(true);
    await rig.fill('#n-text', 'door left open');
    await rig.press('Keep the note');
    expect(rig.asked(watch.addNote)[0]).toEqual({
      params: { node: POINT.node, point: POINT.name },
      body: { at: NOON, text: 'door left open', ofNode: false },
    });
    expect(rig.text).toContain('the database is away');
    expect(rig.element.querySelector<HTMLInputElement>('#n-text')?.value).toBe('door left open');
  });

  it('what was typed and the time that was picked stay while time goes on and the point reports; another point begins anew', async () => {
    const rig = await open('keeper', [], [[watch.addNote, note()]]);
    await rig.press('Write a note');
    await rig.fill('#n-text', 'door left open');
    (rig.fixture.componentInstance as unknown as { when: { set(at: number): void } }).when.set(NOON - 60_000);
    rig.fixture.componentRef.setInput('at', NOON + 15_000);
    rig.fixture.componentRef.setInput('point', { ...POINT });
    await rig.settle();
    await rig.press('Keep the note');
    expect(rig.asked(watch.addNote)[0]).toMatchObject({ body: { at: NOON - 60_000, text: 'door left open' } });
    await rig.press('Write a note');
    await rig.fill('#n-text', 'of the first');
    rig.fixture.componentRef.setInput('point', aPoint({ id: 9, name: 'temperature' }));
    await rig.settle();
    expect(rig.element.querySelector('#n-text')).toBeNull();
    await rig.press('Write a note');
    expect(rig.element.querySelector<HTMLInputElement>('#n-text')?.value).toBe('');
  });
});

describe('what is believed of a point', () => {
  const open = (maker: boolean, point = POINT, answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = []) =>
    Rig.open(JudgingPanel, { snapshot: { points: [point] }, answers, inputs: { point, maker } });

  it('is said in words; a keeper changes nothing', async () => {
    const rig = await open(false);
    expect(rig.text).toMatch(
      /as its part says.*bad below −5\.0 % or above 105\.0 %; a jump above 25\.0 % is doubted; stuck after .* of one value, but for 100\.0 %/,
    );
    expect(rig.text).not.toContain('Judge it otherwise');
  });

  it('figures of its own are kept whole, an emptied one as none; and it goes back to what its part says', async () => {
    const rig = await open(true, POINT, [[plan.judgePoint, POINT]]);
    await rig.press('Judge it otherwise');
    await rig.fill('#j-physicalMax', '90');
    await rig.fill('#j-spikeStep', '');
    await rig.fill('#j-stuckAfterSeconds', '6');
    await rig.press('Keep it');
    expect(rig.asked(plan.judgePoint)).toEqual([
      {
        params: { id: POINT.node, point: POINT.name },
        body: { judging: { ...POINT.judging, physicalMax: 90, spikeStep: null, stuckAfterSeconds: 21_600 } },
      },
    ]);
    const own = await open(true, aPoint({ judgingOfSheet: POINT.judging }), [[plan.judgePoint, POINT]]);
    expect(own.text).toContain('figures of its own');
    await own.press('As its part says');
    expect(own.asked(plan.judgePoint)[0]).toMatchObject({ body: { judging: null } });
  });

  it('what was typed stays while the point is told anew; another point ends it', async () => {
    const rig = await open(true);
    await rig.press('Judge it otherwise');
    await rig.fill('#j-physicalMax', '90');
    rig.fixture.componentRef.setInput('point', { ...POINT, label: 'Air humidity' });
    await rig.settle();
    expect(rig.element.querySelector<HTMLInputElement>('#j-physicalMax')?.value).toBe('90');
    rig.fixture.componentRef.setInput('point', aPoint({ id: 9, name: 'temperature' }));
    await rig.settle();
    expect(rig.element.querySelector('#j-physicalMax')).toBeNull();
  });
});
