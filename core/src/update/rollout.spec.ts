import fc from 'fast-check';
import {
  haltingFigure,
  inWindow,
  rollBack,
  stepRollout,
  stepSizes,
  TOLD_AT_ONCE,
  type Rollout,
  type RolloutNode,
  type RolloutRule,
  type RolloutSight,
} from '.';

const NEW = 'n'.repeat(64);
const OLD = 'o'.repeat(64);
const rule: RolloutRule = {
  canaries: 1,
  shares: [0.5, 1],
  settleSeconds: 10,
  patienceSeconds: 60,
  failShare: 0.2,
  window: null,
  rollBack: true,
};
const begin = (count: number, change: Partial<RolloutRule> = {}): Rollout => {
  const sizes = stepSizes(count, { ...rule, ...change });
  const nodes = Array.from({ length: count }, (_, i): RolloutNode => {
    return { node: `n${i}`, step: sizes.findIndex((size) => i < size), state: 'waiting', since: 0, reached: false, bytes: 0, why: '' };
  });
  return { rule: { ...rule, ...change }, state: 'running', nodes, why: '' };
};
const sight = (change: Partial<RolloutSight> = {}): RolloutSight => ({
  connected: true,
  sleeps: false,
  runs: OLD,
  helloAt: 0,
  resets: 0,
  rateShare: null,
  supplyProblem: null,
  report: null,
  reportAt: null,
  ...change,
});

/** A fleet that does what it is told; `bad` nodes boot and never report, and fall back after 20 s. */
class Fleet {
  private readonly told = new Map<string, { at: number; to: string }>();
  readonly everTold: string[] = [];
  constructor(
    private readonly bad: (node: string) => boolean,
    private readonly sleeps: (node: string) => boolean = () => false,
  ) {}
  order(nodes: readonly string[], to: string, at: number): void {
    for (const node of nodes) this.told.set(node, { at, to });
    if (to === NEW) this.everTold.push(...nodes);
  }
  see(node: string, now: number): RolloutSight {
    const told = this.told.get(node);
    if (!told) return sight({ sleeps: this.sleeps(node) });
    const after = (now - told.at) / 1000;
    if (told.to === OLD) return sight({ runs: after > 3 ? OLD : NEW, helloAt: told.at });
    if (after < 2) return sight({ report: { sha256: NEW, state: 'fetching', bytes: 1 }, reportAt: now });
    if (this.bad(node)) {
      const starting = { report: { sha256: NEW, state: 'starting' as const }, reportAt: told.at + 2000 };
      if (after < 18) return sight({ connected: false, ...starting });
      // Back on its old image: its hello comes first, its word a moment later.
      return after < 20
        ? sight({ helloAt: told.at + 18_000, ...starting })
        : sight({ helloAt: told.at + 20_000, report: { sha256: NEW, state: 'fell-back', why: 'no word' }, reportAt: told.at + 20_000 });
    }
    return sight({ runs: NEW, helloAt: told.at + 3000, rateShare: 1 });
  }
}
function run(rollout: Rollout, fleet: Fleet, seconds: number, minute = 0): Rollout {
  for (let at = 1000; at <= seconds * 1000; at += 1000) {
    const sights = new Map(rollout.nodes.map(({ node }) => [node, fleet.see(node, at)]));
    const step = stepRollout(rollout, NEW, sights, at, minute);
    rollout = step.rollout;
    fleet.order(step.orders.tell, NEW, at);
    fleet.order(step.orders.goBack, OLD, at);
    // Never more under way than its step allows.
    const { failed, allowed } = haltingFigure(rollout);
    if (rollout.state === 'running') expect(failed).toBeLessThanOrEqual(allowed);
  }
  return rollout;
}
const states = (rollout: Rollout): string => rollout.nodes.map((node) => node.state).join(' ');

describe('a rollout', () => {
  it('counts its steps: canaries, rising shares, all; none of them empty', () => {
    expect(stepSizes(20, { canaries: 2, shares: [0.25, 0.5, 1] })).toEqual([2, 5, 10, 20]);
    expect(stepSizes(3, { canaries: 2, shares: [0.25, 0.5, 1] })).toEqual([2, 3]);
    expect(stepSizes(1, { canaries: 5, shares: [0.1] })).toEqual([1]);
    expect(stepSizes(7, { canaries: 1, shares: [] })).toEqual([1, 7]);
  });
  it('goes on only when the nodes of a step are back and healthy for long enough', () => {
    const fleet = new Fleet(() => false);
    run(begin(8), fleet, 10);
    expect(fleet.everTold).toEqual(['n0']);
    const whole = new Fleet(() => false);
    const rollout = run(begin(8), whole, 60);
    expect([rollout.state, states(rollout)]).toEqual(['done', Array(8).fill('healthy').join(' ')]);
  });
  it('tells a large step a few at a time, and every one of it in the end', () => {
    const fleet = new Fleet(() => false);
    const many = begin(50, { canaries: 50 });
    const first = stepRollout(many, NEW, new Map(many.nodes.map(({ node }) => [node, fleet.see(node, 0)])), 0, 0);
    expect(first.orders.tell).toHaveLength(TOLD_AT_ONCE);
    expect(run(many, fleet, 60).state).toBe('done');
    expect(new Set(fleet.everTold).size).toBe(50);
  });
  it('halts at the first canary that fails and takes nothing else along', () => {
    const fleet = new Fleet((node) => node === 'n0');
    const rollout = run(begin(10), fleet, 60);
    expect(rollout.state).toBe('rolled-back');
    expect(fleet.everTold).toEqual(['n0']);
    expect(rollout.why).toMatch(/^1 failed, 0 may: it fell back by itself: no word/);
    expect(states(rollout)).toBe(`failed ${Array(9).fill('left-out').join(' ')}`);
  });
  it('takes back what it has changed when a later step fails, or only halts', () => {
    const bad = (node: string): boolean => node === 'n2' || node === 'n3';
    const back = run(begin(10), new Fleet(bad), 120);
    expect([back.state, states(back)]).toEqual([
      'rolled-back',
      'back back failed failed back left-out left-out left-out left-out left-out',
    ]);
    const halted = run(begin(10, { rollBack: false }), new Fleet(bad), 120);
    expect([halted.state, halted.nodes.filter((node) => node.state === 'healthy').length]).toEqual(['halted', 3]);
  });
  it('lets a tolerated failure pass', () => {
    const rollout = run(begin(10, { failShare: 0.3, canaries: 4 }), new Fleet((node) => node === 'n2'), 200);
    expect([rollout.state, rollout.nodes.filter((node) => node.state === 'failed').length]).toEqual(['done', 1]);
  });
  it('waits for the window, for a sleeper, and for a person who paused it; leaves out a weak supply', () => {
    const night = { window: { from: 23 * 60, to: 5 * 60 } };
    expect([inWindow(night.window, 60), inWindow(night.window, 720), inWindow(null, 720)]).toEqual([true, false, true]);
    expect(states(run(begin(2, night), new Fleet(() => false), 30, 720))).toBe('waiting waiting');
    expect(run(begin(2, night), new Fleet(() => false), 60, 60).state).toBe('done');
    expect(states(run({ ...begin(2), state: 'paused' }, new Fleet(() => false), 30))).toBe('waiting waiting');
    const asleep = begin(1);
    const told = stepRollout(asleep, NEW, new Map([['n0', sight({ sleeps: true, connected: false })]]), 0, 0).rollout;
    expect(states(stepRollout(told, NEW, new Map([['n0', sight({ sleeps: true, connected: false })]]), 9e8, 0).rollout)).toBe('told');
    const weak = stepRollout(begin(2), NEW, new Map([['n0', sight({ supplyProblem: 'its battery is low' })]]), 0, 0);
    expect([states(weak.rollout), weak.orders.tell]).toEqual(['left-out waiting', []]);
  });
  it('takes a word on the image from before it was told for what it is: of another try', () => {
    const told: Rollout = { ...begin(1), nodes: [{ ...begin(1).nodes[0]!, state: 'told', since: 1000 }] };
    const refused = (reportAt: number) =>
      stepRollout(told, NEW, new Map([['n0', sight({ report: { sha256: NEW, state: 'refused', why: 'not signed' }, reportAt })]]), 2000, 0)
        .rollout.nodes[0]!.state;
    expect([refused(999), refused(1000)]).toEqual(['told', 'failed']);
  });
  it('a canary that is left out has tried nothing: the next node is canary in its stead, and the rest wait for it', () => {
    const flat = (name: string) => sight(name === 'n0' ? { supplyProblem: 'its battery is low' } : {});
    let rollout = begin(6);
    const told: string[][] = [];
    for (let now = 0; now < 3000; now += 1000) {
      const step = stepRollout(rollout, NEW, new Map(rollout.nodes.map(({ node }) => [node, flat(node)])), now, 0);
      rollout = step.rollout;
      told.push([...step.orders.tell]);
    }
    // n0 is left out, n1 alone is told, and while it has not settled nobody else is.
    expect(told).toEqual([[], ['n1'], []]);
  });
  it.each([
    ['refuses it', sight({ report: { sha256: NEW, state: 'refused', why: 'not signed' }, reportAt: 5 }), /refused the image: not signed/],
    ['does not begin', sight(), /did not begin/],
    ['starts again by itself', sight({ runs: NEW, helloAt: 5, resets: 2 }), /2 times more/],
    [
      'is back on its old image without a word',
      sight({ helloAt: 1500, report: { sha256: NEW, state: 'starting' }, reportAt: 500 }),
      /came back with its old/,
    ],
    ['sends half of its readings', sight({ runs: NEW, helloAt: 5, rateShare: 0.5 }), /50 % of its usual/],
    ['has a supply that sags', sight({ runs: NEW, helloAt: 5, supplyProblem: 'its battery is low' }), /battery is low/],
  ])('fails a node that %s', (_, seen, why) => {
    let rollout = stepRollout(begin(1), NEW, new Map([['n0', sight()]]), 0, 0).rollout;
    for (const at of [1000, 2000, 70_000]) rollout = stepRollout(rollout, NEW, new Map([['n0', seen]]), at, 0).rollout;
    expect(rollout.nodes[0]!.why).toMatch(why);
    expect(rollout.nodes[0]!.state).toBe('failed');
  });
  it('ends for any mix of nodes that fail, with every node where somebody can see it', () => {
    fc.assert(
      fc.property(fc.array(fc.boolean(), { minLength: 1, maxLength: 12 }), fc.constantFrom(0, 0.1, 0.5, 1), (bad, failShare) => {
        const rollout = run(begin(bad.length, { failShare }), new Fleet((node) => bad[Number(node.slice(1))]!), 300);
        expect(['done', 'rolled-back']).toContain(rollout.state);
        expect(rollout.nodes.every(({ state }) => ['healthy', 'failed', 'left-out', 'back'].includes(state))).toBe(true);
        if (rollout.state === 'done')
          expect(rollout.nodes.filter(({ state }) => state === 'failed').length).toBeLessThanOrEqual(failShare * bad.length);
      }),
      { numRuns: 60 },
    );
  });
  it('takes a node back that failed on the new image, and leaves one alone that never came up on it', () => {
    const on = sight({ runs: NEW, helloAt: 5, resets: 2 });
    let rollout = stepRollout(begin(1, { rollBack: false }), NEW, new Map([['n0', sight()]]), 0, 0).rollout;
    for (const at of [1000, 2000]) rollout = stepRollout(rollout, NEW, new Map([['n0', on]]), at, 0).rollout;
    expect(rollBack(rollout, 3000).orders.goBack).toEqual(['n0']);
    expect(rollBack({ ...rollout, nodes: [{ ...rollout.nodes[0]!, reached: false }] }, 3000).orders.goBack).toEqual([]);
  });
  it('rolls back when a person asks', () => {
    const rollout = run(begin(4), new Fleet(() => false), 60);
    const { orders } = rollBack(rollout, 61_000);
    expect(orders.goBack).toEqual(['n0', 'n1', 'n2', 'n3']);
  });
});
