import { upkeep, type Kept } from '@dewpost/contract';
import { ApiError } from '../../data/api';
import { NOON, Rig } from '../../testing/rig';
import { KeptPage } from './kept-page';
import { monthWords, room } from './kept-words';

/** The month so many before this one. */
const ago = (months: number): string => {
  const today = new Date();
  return new Date(Date.UTC(today.getUTCFullYear(), today.getUTCMonth() - months)).toISOString().slice(0, 7);
};
const kept = (change: Partial<Kept> = {}): Kept => ({
  version: 3,
  months: null,
  rawFrom: null,
  stored: [ago(5), ago(4), ago(1), ago(0)].map((month, i) => ({ month, bytes: (i + 1) * 1e8, points: 44 + i, days: i === 3 ? 0 : 30 })),
  otherBytes: 42e6,
  live: [],
  ...change,
});
const open = (
  answer: unknown = kept(),
  more: [typeof upkeep.keep | typeof upkeep.goLive | typeof upkeep.removeTrials, unknown][] = [],
  role: 'maker' | 'keeper' = 'maker',
) => Rig.open(KeptPage, { snapshot: { me: { name: role, role } }, answers: [[upkeep.kept, answer], ...more] });

describe('what is kept', () => {
  it('shows what is stored by month, newest first; nothing goes while nothing is said', async () => {
    const rig = await open();
    expect(rig.text).toContain('raw readings 1.00 GB, all else 42.0 MB');
    expect(
      rig
        .rows('.months tr')
        .slice(1)
        .map((row) => row.split(' ').at(-1)),
    ).toEqual(['stays', 'stays', 'stays', 'stays']);
    expect(rig.button('Keep this rule').disabled).toBe(true);
    expect(rig.text).toContain('all that was sent counts');
  });

  it('says what would go before it asks, asks once, and sends the months that were shown', async () => {
    const rig = await open(kept(), [[upkeep.keep, kept({ months: 3, version: 4 })]]);
    await rig.fill('#kept-months', '3');
    expect(rig.text).toContain(`2 months go: ${monthWords(ago(5))} to ${monthWords(ago(4))}, 60 days of up to 45 points, 300.0 MB.`);
    await rig.press('Keep this rule');
    expect(rig.asked(upkeep.keep)).toEqual([]);
    expect(rig.text).toContain('It cannot be brought back.');
    await rig.press('Let 2 months go');
    expect(rig.asked(upkeep.keep).map(({ body }) => body)).toEqual([{ from: 3, months: 3, drops: [ago(5), ago(4)] }]);
    expect(rig.text).toContain('taken away within the hour');
  });

  it('a rule by which nothing goes is kept without asking; one too short for nodes’ backlogs is refused at its field', async () => {
    const rig = await open(kept(), [[upkeep.keep, kept({ months: 24, version: 4 })]]);
    await rig.fill('#kept-months', '1');
    expect(rig.text).toContain('from 2 to 600');
    expect(rig.button('Keep this rule').disabled).toBe(true);
    await rig.fill('#kept-months', '24');
    expect(rig.text).toContain('No month is old enough to go by this rule now.');
    await rig.press('Keep this rule');
    expect(rig.asked(upkeep.keep).map(({ body }) => body)).toEqual([{ from: 3, months: 24, drops: [] }]);
  });

  it('where somebody was quicker it says so and shows what is in force', async () => {
    const rig = await open(kept(), [[upkeep.keep, new ApiError(409, 'This rule of what is kept was changed while you edited it')]]);
    await rig.fill('#kept-months', '24');
    await rig.press('Keep this rule');
    expect(rig.text).toContain('was changed while you edited it');
    expect(rig.asked(upkeep.kept)).toHaveLength(2);
    // What was typed stays, to be kept over what is in force.
    expect(rig.element.querySelector<HTMLInputElement>('#kept-months')?.value).toBe('24');
  });

  it('trials are deleted after asking once, or made to count', async () => {
    const live = [{ node: 'loft-climate', since: NOON, trials: 120 }];
    const rig = await open(kept({ live }), [
      [upkeep.removeTrials, { removed: 120 }],
      [upkeep.goLive, kept()],
    ]);
    await rig.press('Delete them');
    expect(rig.asked(upkeep.removeTrials)).toEqual([]);
    await rig.press('Delete 120 readings of loft-climate');
    expect(rig.asked(upkeep.removeTrials)).toEqual([{ params: { id: 'loft-climate' } }]);
    await rig.press('All of it counts');
    expect(rig.asked(upkeep.goLive).map(({ body }) => body)).toEqual([{ nodes: ['loft-climate'], since: null }]);
  });

  it('asks nothing of the server for who is no maker, and says what failed', async () => {
    const keeper = await open(kept(), [], 'keeper');
    expect(keeper.asked(upkeep.kept)).toEqual([]);
    expect(keeper.text).toContain('for makers to say');
    expect((await open(new ApiError(503, 'the database is away'))).text).toContain('the database is away');
  });
});

it('room is said as disks are sold', () => {
  expect([999, 1500, 4.2e6, 1.24e9].map(room)).toEqual(['1 kB', '2 kB', '4.2 MB', '1.24 GB']);
});
