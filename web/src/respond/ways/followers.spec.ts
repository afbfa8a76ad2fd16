import { followers, type Follower } from '@dewpost/contract';
import { aNode, aPoint, aThreshold, Rig } from '../../testing/rig';
import { Followers } from './followers';

const LAMP = aNode({ id: 'lamp-1', name: 'Lamp by the door', room: 'Mill floor', says: ['light', 'text'] });
const FOLLOWS: Follower = {
  ...{ id: 1, node: 'lamp-1', threshold: 3, by: 'millwright', confirmedAt: null },
  ...{ beyond: { light: 'red', text: '' }, otherwise: { light: 'green', text: '' }, shows: { light: 'red', text: 'Humidity 80 %' } },
};
const open = (all: Follower[], maker = true) =>
  Rig.open(Followers, {
    snapshot: { nodes: [LAMP, aNode()], points: [aPoint()], thresholds: [aThreshold({ id: 3 })] },
    answers: [
      [followers.list, all],
      [followers.add, [FOLLOWS]],
      [followers.remove, []],
    ],
    inputs: { maker },
  });

describe('lamps that follow a rule', () => {
  it('one that can is chosen, with its rule and its two looks', async () => {
    const rig = await open([]);
    await rig.press('Let it follow');
    expect([rig.asked(followers.add), rig.text.includes('choose a node')]).toEqual([[], true]);
    await rig.fill('#f-node', 'Lamp by the door, Mill floor');
    await rig.fill('#f-rule', 'loft-climate: Humidity ≥ 75.0 %');
    await rig.fill('#f-beyondText', 'Damp: {value} {unit}');
    await rig.press('Let it follow');
    expect(rig.asked(followers.add)[0]?.body).toEqual({
      ...{ node: 'lamp-1', threshold: 3 },
      ...{ beyond: { light: 'red', text: 'Damp: {value} {unit}' }, otherwise: { light: 'green', text: '' } },
    });
    // It follows one rule: there is no other lamp to choose.
    expect(rig.text).toContain('Red, “Humidity 80 %”; it has not said yet that it does');
    expect(rig.element.querySelector('form')).toBeNull();
    await rig.press('Take away Lamp by the door');
    expect(rig.asked(followers.remove)[0]?.params).toEqual({ id: 1 });
  });
  it('a keeper sees what they show, and changes nothing', async () => {
    const rig = await open([{ ...FOLLOWS, shows: null, threshold: 99 }], false);
    expect(rig.text).toContain('follows a rule that is gone');
    expect(rig.text).toContain('It was not told yet');
    expect(rig.element.querySelectorAll('button')).toHaveLength(0);
  });
});
