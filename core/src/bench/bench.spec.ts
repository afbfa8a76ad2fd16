import fc from 'fast-check';
import { boardSits, listenForJoin, turnAt, waitsFor, type BenchJob, type JoinHeard, type JoinWatch } from '.';

const job = (node: string, part: Partial<BenchJob> = {}): BenchJob => ({ node, port: null, after: null, step: 'queued', ...part });
const bench = (...jobs: BenchJob[]): ReadonlyMap<string, BenchJob> => new Map(jobs.map((one) => [one.node, one]));
const none: ReadonlyMap<string, number> = new Map();

describe('whose turn it is at a port', () => {
  it('is the first that waits; nobody’s when none does', () => {
    expect(turnAt(1, bench(job('a', { step: 'write', port: 2 }), job('b'), job('c')), none)?.node).toBe('b');
    expect(turnAt(1, bench(job('a', { step: 'over' })), none)).toBeUndefined();
  });
  it('is that of the node whose board sits there, even behind others; and nobody else’s', () => {
    const jobs = bench(job('a'), job('b'));
    expect(turnAt(2, jobs, new Map([['b', 2]]))?.node).toBe('b');
    expect(turnAt(2, jobs, new Map([['gone', 2]]))).toBeUndefined();
    // Its board is elsewhere: it waits for that port.
    expect(turnAt(1, bench(job('b')), new Map([['b', 2]]))).toBeUndefined();
  });
  it('comes to a leaf after its gateway has joined, and to one whose gateway is not on the bench at once', () => {
    const leaf = job('leaf', { after: 'gate' });
    for (const step of ['queued', 'check', 'write', 'join']) {
      const jobs = bench(leaf, job('gate', { step, port: step === 'queued' ? null : 1 }));
      expect([step, waitsFor(leaf, jobs), turnAt(2, jobs, none)?.node]).toEqual([step, 'gate', step === 'queued' ? 'gate' : undefined]);
    }
    for (const step of ['contact', 'over']) expect(waitsFor(leaf, bench(leaf, job('gate', { step })))).toBeNull();
    expect(turnAt(2, bench(leaf), none)?.node).toBe('leaf');
  });
  it('never gives one port to the board of another, nor a leaf before its gateway (any bench)', () => {
    const names = ['a', 'b', 'c', 'd', 'e'];
    const jobs = fc.array(
      fc.record({
        node: fc.constantFrom(...names),
        port: fc.option(fc.integer({ min: 1, max: 3 })),
        after: fc.option(fc.constantFrom(...names)),
        step: fc.constantFrom('queued', 'check', 'write', 'join', 'contact', 'over'),
      }),
    );
    const boards = fc.dictionary(fc.constantFrom(...names), fc.integer({ min: 1, max: 3 }));
    fc.assert(
      fc.property(jobs, boards, fc.integer({ min: 1, max: 3 }), (list, sat, port) => {
        const all = bench(...list);
        const boardAt = new Map(Object.entries(sat));
        const next = turnAt(port, all, boardAt);
        if (!next) return;
        expect([next.step, next.port, waitsFor(next, all)]).toEqual(['queued', null, null]);
        for (const [node, at] of boardAt)
          if (at === port || node === next.node) expect([boardAt.get(next.node), port]).toEqual([port, port]);
      }),
    );
  });
  it('knows one board of a node: where it was plugged in last, or nowhere', () => {
    const first = boardSits(none, 'a', 1);
    expect([...boardSits(first, 'a', 2)]).toEqual([['a', 2]]);
    expect([...boardSits(first, 'a', null)]).toEqual([]);
    expect([...first]).toEqual([['a', 1]]);
  });
});

describe('what a node’s log says of its join', () => {
  const start = (...wanted: string[]): JoinWatch => ({ wanted, refused: [], isIn: false });
  const hear = (watch: JoinWatch, ...lines: Parameters<typeof listenForJoin>[1][]): JoinHeard[] => {
    const all: JoinHeard[] = [];
    for (const line of lines) {
      const [next, what] = listenForJoin(watch, line);
      watch = next;
      all.push(what);
    }
    return all;
  };
  it('is nothing while it only talks', () => {
    expect(hear(start('mill'), { text: 'starting' }, { text: 'x', code: 'lamp' })).toEqual([{ kind: 'nothing' }, { kind: 'nothing' }]);
  });
  it('is a join once, and what comes after it a lost first contact', () => {
    expect(
      hear(
        start('mill'),
        { text: 'joined mill', code: 'joined' },
        { text: 'joined mill', code: 'joined' },
        { text: 'broker says no', code: 'broker-refused' },
      ),
    ).toEqual([
      { kind: 'joined', evidence: 'joined mill' },
      { kind: 'nothing' },
      { kind: 'no-contact', code: 'broker-refused', evidence: 'broker says no' },
    ]);
  });
  it('is a refusal only when the last of its networks has refused, with the cause that tells most and what was heard', () => {
    const lines = [
      { text: '"mill" refused', code: 'wrong-passphrase' },
      { text: '"yard" is not there', code: 'name-not-found', heard: [{ name: 'barn', dbm: -60 }] },
    ];
    expect(hear(start('mill', 'yard'), ...lines)).toEqual([
      { kind: 'nothing' },
      { kind: 'refused', code: 'wrong-passphrase', evidence: '"mill" refused' },
    ]);
    expect(hear(start('yard'), lines[1]!)).toEqual([
      { kind: 'refused', code: 'name-not-found', evidence: '"yard" is not there; heard "barn" -60 dBm' },
    ]);
  });
  it('ends at once with what no other network can help', () => {
    for (const code of ['no-address', 'address-taken', 'brown-out', 'backing-off'])
      expect(hear(start('mill', 'yard'), { text: 'it ends', code })).toEqual([{ kind: 'refused', code, evidence: 'it ends' }]);
  });
});
