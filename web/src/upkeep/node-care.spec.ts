import { upkeep } from '@dewpost/contract';
import { ApiError } from '../data/api';
import { aNode, NOON, Rig } from '../testing/rig';
import { NodeCare } from './node-care';

const open = async (answers: NonNullable<Parameters<typeof Rig.open>[1]['answers']> = [], change: Parameters<typeof aNode>[0] = {}) => {
  const node = aNode({ fittedAt: NOON, ...change });
  const rig = await Rig.open(NodeCare, { snapshot: { nodes: [node] }, inputs: { node }, answers });
  for (const head of rig.element.querySelectorAll<HTMLElement>('mat-expansion-panel-header'))
    if (/live/.test(head.textContent ?? '')) head.click();
  await rig.settle();
  return { rig, node };
};

describe('since when a node is live', () => {
  it('what was picked stays while the node goes on sending, and is sent when it is said', async () => {
    const { rig, node } = await open([[upkeep.goLive, new ApiError(422, 'body.since lies ahead')]]);
    expect(rig.button('It is live since then').disabled).toBe(true);
    await rig.press('When it was fitted');
    // Every reading brings its node anew.
    rig.fixture.componentRef.setInput('node', { ...node, heardAt: NOON + 1000 });
    await rig.settle();
    await rig.press('It is live since then');
    expect(rig.asked(upkeep.goLive).map(({ body }) => body)).toEqual([{ nodes: [node.id], since: NOON }]);
    expect(rig.text).toContain('lies ahead');
  });
  it('can be taken back where there is one', async () => {
    expect((await open()).rig.text).not.toContain('All of it counts');
    const { rig } = await open([], { liveSince: NOON });
    expect(rig.text).toContain('since ');
    expect(rig.button('All of it counts').disabled).toBe(false);
  });
});
