import { respond, type Threshold } from '@dewpost/contract';
import { aNode, aPoint, aRelay, aThreshold, NOON, Rig } from '../testing/rig';
import { Relays } from './relays';

const humidity = aPoint();
const guards = { minOnSeconds: 0, minOffSeconds: 300, maxRunSeconds: 1800, restSeconds: 600 };
const fan = aPoint({
  id: 2,
  name: 'fan',
  label: 'Fan',
  kind: 'switched',
  unit: '',
  max: 1,
  decimals: 0,
  output: { guards, leaseSeconds: 60, readBack: 'contact', caution: 'Blades: keep clear.' },
});
const dew = aPoint({ id: 3, name: 'dew-point', label: 'Dew point', kind: 'derived', unit: '°C' });
const pump = aPoint({ ...fan, id: 4, node: 'cellar-relays', name: 'pump', label: 'Pump' });
const nodes = [aNode(), aNode({ id: 'cellar-relays', room: 'Cellar', fittedAt: null })];
const points = [humidity, fan, dew, pump];

describe('relays', () => {
  it('says which outputs never run together, and who wins; a maker lays it down and takes it off', async () => {
    const laid = { id: 4, winner: fan.id, loser: pump.id, by: 'millwright' };
    const rig = await Rig.open(Relays, {
      snapshot: { nodes, points, relays: [aRelay({ heldOffBy: 'Pump of cellar-relays' })] },
      answers: [
        [respond.interlocks, []],
        [respond.addInterlock, [laid]],
        [respond.removeInterlock, []],
      ],
    });
    expect(rig.text).toContain('held off while Pump of cellar-relays runs or is wanted');
    await rig.press('Interlock Fan');
    await rig.fill('dp-interlock-line mat-select', 'Pump, cellar-relays');
    await rig.press('Fan wins');
    expect([rig.asked(respond.addInterlock)[0]?.body, rig.text.includes('Never with Fan, loft-climate, which wins')]).toEqual([
      { winner: fan.id, loser: pump.id },
      true,
    ]);
    await rig.press('Take off Never with Pump, cellar-relays, which yields to it');
    expect([rig.asked(respond.removeInterlock)[0]?.params, rig.text.includes('Never with')]).toEqual([{ id: 4 }, false]);
  });
  it('says what an output has done since it is counted, and how long its contact lasts yet at this pace', async () => {
    const wear = { starts: 300, runMs: 36_000_000, since: Date.now() - 10 * 86_400_000, onSince: null };
    const rig = await Rig.open(Relays, { snapshot: { nodes, points, relays: [aRelay({ wear })] } });
    expect(rig.text).toMatch(/300 starts and 10\.0 h since .*; at 30\.0 a day its contact lasts 9\.1 years yet/);
  });
  it('puts all outputs to their safe state at once, and says how many were told', async () => {
    const rig = await Rig.open(Relays, {
      snapshot: { nodes, points, relays: [aRelay()] },
      answers: [[respond.allSafe, [aRelay(), aRelay()]]],
    });
    await rig.press('All outputs to safe state');
    expect(rig.asked(respond.allSafe)).toEqual([{ body: { reason: '' } }]);
    expect(document.body.textContent).toContain('2 outputs told to go off');
  });
  const words = async (thresholds: Threshold[], change: { haveRevision?: number } = {}): Promise<string[]> => {
    const rig = await Rig.open(Relays, { snapshot: { nodes: [aNode(change), nodes[1]!], points, relays: [aRelay()], thresholds } });
    return rig.rows('.relay-words');
  };
  it('an output is locked out with a reason, and taken off only after asking; another’s lock only by a maker', async () => {
    const lock = { by: 'baker', reason: 'at the belt', since: NOON, until: null };
    const open = (role: 'maker' | 'keeper', locked: boolean) =>
      Rig.open(Relays, {
        snapshot: { me: { name: 'millwright', role }, nodes, points, relays: [aRelay(locked ? { lock } : {})], thresholds: [] },
        answers: [
          [respond.lockRelay, aRelay({ lock })],
          [respond.unlockRelay, aRelay()],
        ],
      });
    const rig = await open('keeper', false);
    await rig.press('Lock out Fan');
    expect(rig.button('Lock it out').disabled).toBe(true);
    await rig.fill('dp-lock-line input', 'at the belt');
    expect(rig.text).toContain('A lock here cuts no current');
    await rig.press('Lock it out');
    expect(rig.asked(respond.lockRelay)[0]).toEqual({ params: { id: 2 }, body: { reason: 'at the belt', minutes: null } });
    const keeper = await open('keeper', true);
    expect(keeper.text).toContain('Locked out by baker until the lock is taken off: at the belt');
    expect(() => keeper.button('Take the lock off Fan')).toThrow();
    expect(() => keeper.button('Switch on Fan, loft-climate')).toThrow();
    const maker = await open('maker', true);
    await maker.press('Take the lock off Fan');
    expect([maker.asked(respond.unlockRelay), maker.text]).toEqual([[], expect.stringMatching(/Is everybody clear of it\?/)]);
    await maker.press('Take the lock off');
    expect(maker.asked(respond.unlockRelay)).toHaveLength(1);
  });
  it('says what becomes of each output with the link down: only a threshold of its own node goes on, once that has confirmed it', async () => {
    expect((await words([]))[0]).toMatch(/contact read back, proves it, 12:00:00; with the link down: off/);
    expect((await words([aThreshold({ output: 2 })]))[0]).toMatch(/its node’s own thresholds go on/);
    expect((await words([aThreshold({ output: 2 })], { haveRevision: 0 }))[0]).toMatch(/off, until its node confirms its thresholds/);
    // What is derived is known to the server only, and what another node measures to that one.
    expect((await words([aThreshold({ point: 3, output: 2 })]))[0]).toMatch(/link down: off/);
    expect((await words([aThreshold({ output: 4 })]))[1]).toMatch(/link down: off.*unarmed until its node is fitted/);
  });
  it('says when there is none, and while it is read', async () => {
    expect((await Rig.open(Relays, { snapshot: { points: [] } })).text).toContain('No node has one yet');
    expect((await Rig.open(Relays, { snapshot: null })).text).toContain('Reading the outputs');
  });
});
