import { aNode, aPoint, aThreshold, Rig } from '../../testing/rig';
import { RuleAlike, saysTheSame } from './rule-alike';

const NODES = [
  aNode({ id: 'loft-1', name: 'Loft 1', room: 'Grain loft', sheet: 'post' }),
  aNode({ id: 'loft-2', name: 'Loft 2', room: 'Grain loft', sheet: 'box' }),
  aNode({ id: 'cellar-1', name: 'Cellar 1', room: 'Cellar', sheet: 'post' }),
];
const POINTS = [
  aPoint({ id: 1, node: 'loft-1' }),
  aPoint({ id: 2, node: 'loft-2' }),
  aPoint({ id: 3, node: 'cellar-1' }),
  aPoint({ id: 4, node: 'cellar-1', name: 'temperature', unit: '°C' }),
];
const RULE = aThreshold({ id: 10, point: 1 });

describe('one rule for points alike', () => {
  const open = (before: typeof RULE | null, thresholds = [RULE]) =>
    Rig.open(RuleAlike, {
      snapshot: { nodes: NODES, points: POINTS, thresholds },
      inputs: { point: POINTS[0], before, chosen: [] },
    });
  const chosen = (rig: Awaited<ReturnType<typeof open>>) => rig.fixture.componentInstance.chosen();

  it('a new one is armed on others that measure the same: of its room, of its sheet, or all', async () => {
    const rig = await open(null);
    await rig.press('all in its room');
    expect(chosen(rig)).toEqual([2]);
    await rig.press('all of its sheet');
    expect(chosen(rig)).toEqual([3]);
    await rig.press('all alike');
    expect(chosen(rig)).toEqual([2, 3]);
    expect(rig.text).not.toContain('Exceptions');
  });
  it('of a change go along those that said the same; whoever differs is an exception, and says how', async () => {
    const rig = await open(RULE, [RULE, aThreshold({ id: 11, point: 2 }), aThreshold({ id: 12, point: 3, setpoint: 60 })]);
    await rig.press('all alike');
    expect(chosen(rig)).toEqual([11]);
    expect(rig.text).toContain('Exceptions: Cellar 1 (at or above 60.0 %).');
    expect(() => rig.button('all of its sheet')).toThrow();
  });
  it('nothing is asked where no other is like it', async () => {
    const rig = await open(RULE);
    expect(rig.text).toBe('');
  });
  it('two rules say the same by their figures, not by their numbers and words', () => {
    expect(saysTheSame(RULE, aThreshold({ id: 99, point: 7, version: 5, words: { trip: null, clear: null, alert: 'x' } }))).toBe(true);
    for (const change of [{ setpoint: 1 }, { side: 'low' as const }, { output: 3 }, { judges: { kind: 'silence' as const } }])
      expect(saysTheSame(RULE, aThreshold(change))).toBe(false);
  });
});
