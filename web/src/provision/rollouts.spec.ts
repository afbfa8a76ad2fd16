import { provision } from '@dewpost/contract';
import { aNode, NOON, Rig } from '../testing/rig';
import { Rollouts } from './rollouts';
import { image, nodes } from './pages.testing';

describe('rollouts', () => {
  const rollout = (change: object = {}) => ({
    id: 3,
    firmware: image().id,
    version: 'dewnode 1.1.0',
    bytes: 163_840,
    by: 'millwright',
    madeAt: NOON - 100_000,
    endedAt: null,
    rule: {
      canaries: 1,
      shares: [0.5, 1],
      settleSeconds: 60,
      patienceSeconds: 300,
      failShare: 0.1,
      window: { from: 120, to: 300 },
      rollBack: true,
    },
    state: 'running',
    why: '',
    sizes: [1, 2],
    halting: { failed: 0, allowed: 0, begun: 1 },
    nodes: [
      { node: 'loft-climate', step: 0, state: 'fetching', since: NOON, bytes: 81_920, why: '' },
      { node: 'cellar-relays', step: 1, state: 'waiting', since: NOON, bytes: 0, why: '' },
      { node: 'weir-gate', step: -1, state: 'left-out', since: NOON, bytes: 0, why: 'is a leaf: it takes no images over the air' },
    ],
    ...change,
  });
  const open = (list: unknown[], more: readonly (readonly [typeof provision.setRollout | typeof provision.beginRollout, unknown])[] = []) =>
    Rig.open(Rollouts, {
      snapshot: { nodes },
      answers: [
        [provision.rollouts, list],
        [provision.firmware, [image(), image({ id: 'older', version: '0.9.0', nodes: ['loft-climate', 'cellar-relays'] })]],
        ...more,
      ],
    });
  it('shows where each node is, why some are left out, and the halting figure; can be paused', async () => {
    const rig = await open([rollout()], [[provision.setRollout, rollout({ state: 'paused' })]]);
    expect(rig.text).toMatch(/between 02:00 and 05:00/);
    expect(rig.text).toMatch(/loft-climate.*50 % of 160 kB/);
    expect(rig.text).toMatch(/weir-gate.*is a leaf: it takes no images over the air/);
    await rig.press('Pause');
    expect(rig.asked(provision.setRollout)).toEqual([{ params: { id: 3 }, body: { wish: 'pause' } }]);
    // What comes over the live stream replaces what was read.
    await rig.arrive({
      type: 'rollout',
      rollout: { ...(rollout({ state: 'rolled-back', why: '1 failed, 0 may: it fell back by itself' }) as never as object) } as never,
    });
    expect(rig.text).toMatch(/rolled back.*it fell back by itself/);
  });
  it('is sent to the nodes that were left ticked, with shares as typed; nonsense is refused before it goes out', async () => {
    const rig = await open([], [[provision.beginRollout, rollout()]]);
    expect(rig.text).toContain('No rollout yet');
    await rig.press('New rollout');
    await rig.fill('#r-shares', 'half');
    await rig.fill('#r-from', '01:30');
    rig.element.querySelector('form')!.dispatchEvent(new Event('submit'));
    await rig.settle();
    expect(rig.asked(provision.beginRollout)).toEqual([]);
    // Each at its field.
    expect(rig.rows('mat-error').filter((text) => text !== '')).toEqual([
      'numbers from 1 to 100, rising: 25, 50, 100',
      'needed with the other',
    ]);
    await rig.fill('#r-shares', '25, 100');
    await rig.fill('#r-to', '04:00');
    const tick = [...rig.element.querySelectorAll('.who mat-checkbox')].find((one) => one.textContent?.includes('cellar-relays'));
    tick!.querySelector('input')!.click();
    await rig.settle();
    rig.element.querySelector('form')!.dispatchEvent(new Event('submit'));
    await rig.settle();
    const [{ body } = { body: null }] = rig.asked(provision.beginRollout);
    expect(body).toMatchObject({ firmware: image().id, rule: { shares: [0.25, 1], window: { from: 90, to: 240 } } });
    expect((body as { nodes: string[] }).nodes).toEqual(['loft-climate']);
  });
  it('ticks by itself neither what runs that image already nor what has a board that nobody knows', async () => {
    const rig = await Rig.open(Rollouts, {
      snapshot: { nodes: [...nodes, aNode({ id: 'loft-fan', firmware: null })] },
      answers: [
        [provision.rollouts, []],
        [provision.firmware, [image({ nodes: ['loft-climate'] }), image({ id: 'older', version: '0.9.0', nodes: ['cellar-relays'] })]],
      ],
    });
    await rig.press('New rollout');
    const ticked = [...rig.element.querySelectorAll('.who mat-checkbox')].map((one) => [
      one.querySelector('.mono')?.textContent,
      one.querySelector('input')?.checked,
    ]);
    expect(Object.fromEntries(ticked)).toEqual({ 'loft-climate': false, 'cellar-relays': true, 'loft-fan': false });
  });
});
