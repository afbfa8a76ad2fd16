import { watch, type PointQuality } from '@dewpost/contract';
import { aNode, aPoint, NOON, Rig } from '../../testing/rig';
import { QualityPage } from './quality-page';

const POINTS = [
  aPoint({ id: 1 }),
  aPoint({ id: 2, node: 'race-level', name: 'level', label: 'Race level', unit: 'mm' }),
  aPoint({ id: 3, name: 'temperature', label: 'Air temperature', unit: '°C' }),
];
const quality = (point: number, change: Partial<PointQuality> = {}): PointQuality => ({
  ...{ point, used: 1000, suspect: 0, bad: 0, late: 0, missing: 0, share: 0, since: NOON - 336 * 3_600_000, bins: [] },
  cause: { code: 'none', words: 'Nothing', figure: '', next: '' },
  ...change,
});
const STUCK = quality(1, {
  ...{ suspect: 113, share: 0.113 },
  bins: [
    [4, 50, 0, 0, 0],
    [5, 63, 0, 0, 0],
    [9, 0, 0, 0, 2],
  ],
  cause: { code: 'stuck', words: 'Stuck at 61.2 %', figure: '113 readings', next: 'Breathe on it or warm it; power it off and on' },
});
const SILENT = quality(2, {
  ...{ missing: 90, share: 0.082, bins: [[11, 0, 0, 90, 0]] },
  cause: { code: 'silent', words: 'Silent', figure: '90 of 1090 missing', next: 'Look whether it has power and reaches its network' },
});
const open = async (answer: unknown) => {
  const rig = await Rig.open(QualityPage, {
    snapshot: { nodes: [aNode(), aNode({ id: 'race-level', room: 'Wheel pit and race' })], points: POINTS },
    answers: [[watch.quality, answer]],
  });
  await rig.settle();
  return rig;
};
const reply = (points: PointQuality[]) => ({ from: NOON - 336 * 3_600_000, to: NOON, bins: 12, points });

describe('quality', () => {
  it('lists what is amiss with share, cause and next step; what is good is one line', async () => {
    const rig = await open(reply([STUCK, SILENT, quality(3)]));
    expect(rig.rows('.points li').map((row) => row.replace(/ +/g, ' '))).toEqual([
      'Humidity loft-climate 11 % Stuck at 61.2 % 113 readings Breathe on it or warm it; power it off and on',
      'Race level race-level 8.2 % Silent 90 of 1090 missing Look whether it has power and reaches its network',
    ]);
    expect(rig.text).toContain('3 points: 93.4 % good; 2 with something amiss');
    expect(rig.text).toContain('1 more point less than 0.1 % each');
    expect(rig.element.querySelector('.points li')?.getAttribute('aria-label')).toBe('Humidity, loft-climate: 113 suspect');
  });
  it('neighbouring stretches are one piece of the line', async () => {
    const rig = await open(reply([STUCK]));
    const hollow = [...rig.element.querySelectorAll('rect')].map((rect) => [rect.getAttribute('x'), rect.getAttribute('width')]);
    expect(hollow).toEqual([[String((4 * 448) / 12), String((2 * 448) / 12)]]);
  });
  it('by room and by cause; another span is asked for', async () => {
    const asked: unknown[] = [];
    const rig = await open((input: { query?: unknown }) => {
      asked.push(input.query);
      return reply([SILENT, STUCK]);
    });
    await rig.press('by room');
    expect(rig.rows('.points li')[0]).toMatch(/^Humidity Grain loft, loft-climate/);
    await rig.press('by cause');
    expect(rig.rows('.points li')[0]).toMatch(/^Race level/);
    await rig.press('24 h');
    await rig.settle();
    expect(asked).toEqual([{ hours: 336 }, { hours: 24 }]);
  });
  it('says that all is good, that nothing was recorded, and what failed', async () => {
    expect((await open(reply([quality(1)]))).text).toContain('Every point is good: nothing to do.');
    expect((await open(reply([]))).text).toContain('Nothing was recorded in this time.');
    const failed = await open(new Error('The server does not answer.'));
    expect(failed.element.querySelector('[role=alert]')?.textContent).toContain('The server does not answer.');
  });
});
