import { TestBed } from '@angular/core/testing';
import { Api, ApiError } from '../../data/api';
import { StandinsApi } from '../../shell/standins-api';
import { Writer } from './writer';
import { Board, IMAGE, SHA256 } from './writer.testing';

let boards: Board[];
jest.mock('./standin-port', () => ({ openStandinPort: (id: number) => Promise.resolve(boards[id - 1]!.port) }));

interface Step {
  step: string;
  state: string;
  code: string | null;
  hardwareId?: string;
}

describe('the bench’s writer', () => {
  let steps: Map<number, Step[]>;
  let openPorts: Set<number>;
  let stored: { id: number; state: string; nodes: { node: string; result: string }[] }[];
  let heldByOther: boolean;
  let gateways: Record<string, string>;
  /** Nodes in the order in which they were begun. */
  let begun: string[];
  /** What the library sends. */
  let image: () => Promise<Uint8Array>;
  /** The server's batches, as far as the writer sees them. */
  const batchAnswer = (endpoint: { path: string; method: string }, input: { body?: object; params?: { id: number } }): Promise<unknown> => {
    const body = input.body as { nodes?: string[]; state?: string } | undefined;
    if (endpoint.method === 'get') return Promise.resolve(stored);
    if (heldByOther) return Promise.reject(new ApiError(409, 'another page'));
    if (endpoint.path.endsWith('/batches')) {
      stored.push({
        id: stored.length + 1,
        state: 'running',
        nodes: body!.nodes!.map((node) => ({ node, gateway: gateways[node] ?? null, result: 'waiting' })),
      });
      return Promise.resolve(stored.at(-1));
    }
    const batch = stored.find((one) => one.id === input.params!.id)!;
    if (body?.state) batch.state = body.state;
    return Promise.resolve({ ...batch });
  };
  const begin = (): Writer => {
    steps = new Map();
    openPorts = new Set();
    globalThis.fetch = jest.fn(() => Promise.resolve({ ok: true })) as unknown as typeof fetch;
    let runs = 0;
    TestBed.configureTestingModule({
      providers: [
        {
          provide: StandinsApi,
          useValue: { ports: () => Promise.resolve(boards.map((_, i) => ({ id: i + 1, mishap: 'none', open: openPorts.has(i + 1) }))) },
        },
        {
          provide: Api,
          useValue: {
            bytes: () => image(),
            call: (endpoint: { path: string; method: string }, input: { body?: { node: string } & Step; params?: { id: number } }) => {
              if (endpoint.path.includes('/batches')) return batchAnswer(endpoint, input);
              if (endpoint.path.endsWith('/steps')) {
                const id = input.params!.id;
                steps.set(id, [...(steps.get(id) ?? []), input.body!]);
                return Promise.resolve({});
              }
              begun.push(input.body!.node);
              return Promise.resolve({
                run: { id: ++runs },
                firmware: { id: 'f', version: '1.0.0', board: 'a board', bytes: IMAGE.length, sha256: SHA256 },
                fresh: null,
                configuration: { node: input.body!.node, key: 'secret', networks: [{ name: 'wrenfold-nodes' }, { name: 'wrenfold-yard' }] },
              });
            },
          },
        },
      ],
    });
    return TestBed.inject(Writer);
  };
  beforeEach(() => {
    stored = [];
    heldByOther = false;
    gateways = {};
    begun = [];
    image = () => Promise.resolve(IMAGE);
    sessionStorage.clear();
  });
  const until = async (check: () => boolean): Promise<void> => {
    for (let i = 0; i < 400 && !check(); i++) await new Promise((resolve) => setTimeout(resolve, 10));
    expect(check()).toBe(true);
  };
  const told = (run: number): string[] =>
    (steps.get(run) ?? []).map((step) => `${step.step} ${step.state}${step.code ? ` ${step.code}` : ''}`);

  it('writes every byte, hands over the configuration, and reports each step; contact is the server’s to see', async () => {
    boards = [new Board({})];
    const writer = begin();
    await writer.write(['proving-1']);
    await until(() => writer.jobs().get('proving-1')?.step === 'contact');
    expect(boards[0]!.written).toEqual(IMAGE);
    expect(JSON.parse(boards[0]!.configuration)).toMatchObject({ node: 'proving-1', key: 'secret' });
    expect(told(1)).toEqual(['check done', 'write done', 'digest done', 'configure done', 'join done']);
    expect(steps.get(1)![0]!.hardwareId).toBe('dw-test');
    expect(JSON.stringify([...writer.jobs().values()].map((job) => job.log))).not.toContain('secret');
  });
  it('ends at the step that failed, with the code that names the cause', async () => {
    boards = [
      new Board({ digest: 'mismatch' }),
      new Board({ join: ['wrong-passphrase', 'name-not-found'] }),
      new Board({ unplugAt: 2048 }),
    ];
    const writer = begin();
    await writer.write(['a', 'b', 'c']);
    await until(() => [...writer.jobs().values()].every((job) => job.failure !== null));
    expect([1, 2, 3].map((run) => told(run).at(-1))).toEqual([
      'digest failed digestMismatch',
      'join failed wrong-passphrase',
      'write failed portLost',
    ]);
    expect(writer.jobs().get('a')!.failure!.evidence).toMatch(/beef/);
  });
  it('goes on from where a run before stopped: what the board holds is not written again', async () => {
    boards = [new Board({ holds: SHA256 }), new Board({ heldBytes: 2048 })];
    const writer = begin();
    await writer.write(['a', 'b']);
    await until(() => [...writer.jobs().values()].every((job) => job.step === 'contact'));
    expect([boards[0]!.offsets, boards[1]!.offsets[0]]).toEqual([[], 2048]);
    expect(told(1)).toEqual(['check done', 'write done', 'digest done', 'configure done', 'join done']);
  });
  it('tells a wrong board, a full store, a stray space, and what goes wrong after the join', async () => {
    boards = [
      new Board({ isA: 'another' }),
      new Board({ full: true }),
      new Board({ join: ['name-not-found', 'name-not-found'], heard: [{ name: 'wrenfold-nodes ', dbm: -50 }] }),
      new Board({ join: ['joined', 'broker-refused'] }),
    ];
    const writer = begin();
    await writer.write(['a', 'b', 'c', 'd']);
    await until(() => [...writer.jobs().values()].every((job) => job.failure !== null));
    expect([1, 2, 3, 4].map((run) => told(run).at(-1))).toEqual([
      'check failed wrong-board',
      'configure failed storeFull',
      'join failed stray-space',
      'contact failed broker-refused',
    ]);
    expect(writer.jobs().get('c')!.failure!.evidence).toContain('heard "wrenfold-nodes " -50 dBm');
  });
  it('a node that joins its second network has joined', async () => {
    boards = [new Board({ join: ['name-not-found', 'joined'] })];
    const writer = begin();
    await writer.write(['a']);
    await until(() => writer.jobs().get('a')?.step === 'contact');
    expect(told(1).at(-1)).toBe('join done');
  });
  it('takes up a batch of a page that is gone: what is proved or stopped stays, the rest is written', async () => {
    boards = [new Board({}), new Board({})];
    stored = [
      {
        id: 1,
        state: 'running',
        nodes: [
          { node: 'done', result: 'proved' },
          { node: 'failed', result: 'stopped' },
          { node: 'calls', result: 'running' },
          { node: 'left', result: 'running' },
          { node: 'next', result: 'waiting' },
        ],
      },
    ];
    const writer = begin();
    await writer.takeUp((node) => node === 'calls');
    await until(() => ['left', 'next'].every((node) => writer.jobs().get(node)?.step === 'contact'));
    expect([...writer.jobs().keys()]).toEqual(['left', 'next']);
    expect([...writer.batches().keys()]).toEqual([1]);
  });
  it('leaves a batch alone that another page is at, and says so when the same nodes are begun', async () => {
    boards = [new Board({})];
    stored = [{ id: 1, state: 'running', nodes: [{ node: 'a', result: 'waiting' }] }];
    heldByOther = true;
    const writer = begin();
    await writer.takeUp(() => false);
    await writer.write(['a']);
    expect([writer.jobs().size, writer.problem()]).toEqual([0, 'another page']);
  });
  it('a leaf waits for its gateway, however many ports are free, and goes on even where its gateway stopped', async () => {
    boards = [new Board({}), new Board({}), new Board({ digest: 'mismatch' }), new Board({})];
    gateways = { leaf: 'gate', orphan: 'broken' };
    const writer = begin();
    await writer.write(['leaf', 'gate']);
    expect([writer.waitsFor(writer.jobs().get('leaf')!), writer.jobs().get('leaf')!.port]).toEqual(['gate', null]);
    await until(() => [...writer.jobs().values()].every((job) => job.step === 'contact'));
    expect(begun).toEqual(['gate', 'leaf']);
    openPorts = new Set([1, 2]);
    await writer.write(['orphan', 'broken']);
    await until(() => begun.includes('orphan'));
    expect(writer.jobs().get('broken')?.failure?.code).toBe('digestMismatch');
    expect(begun).toEqual(['gate', 'leaf', 'broken', 'orphan']);
  });
  it('paused begins no further node, and goes on where it was; cancelled lets what waits go', async () => {
    boards = [new Board({})];
    const writer = begin();
    await writer.pause(true);
    await writer.write(['p-1', 'p-2']);
    expect([...writer.jobs().values()].map((job) => job.step)).toEqual(['queued', 'queued']);
    await writer.pause(false);
    await until(() => [...writer.jobs().values()].every((job) => job.step === 'contact'));
    openPorts.add(1);
    await writer.write(['p-3']);
    await writer.cancel();
    openPorts.delete(1);
    await new Promise((resolve) => setTimeout(resolve, 1200));
    expect([...writer.jobs().keys()]).toEqual(['p-1', 'p-2']);
    expect(stored.at(-1)!.state).toBe('cancelled');
  });
  it('never gives the port of a stopped board to another node, also after a reload; written again it goes to its own, others to free ones', async () => {
    boards = [new Board({ digest: 'mismatch' }), new Board({ digest: 'mismatch' }), new Board({}), new Board({})];
    const writer = begin();
    openPorts = new Set([2, 3, 4]);
    await writer.write(['first']);
    await until(() => writer.jobs().get('first')?.failure?.code === 'digestMismatch');
    await writer.write(['second']);
    // Only the port with the stopped board is free: it waits rather than take that board.
    expect([writer.jobs().get('second')?.step, writer.jobs().get('second')?.port]).toEqual(['queued', null]);
    TestBed.resetTestingModule();
    const anew = begin();
    openPorts = new Set([2]);
    expect([...anew.boardAt()]).toEqual([['first', 1]]);
    boards[0] = new Board({});
    await anew.write(['second', 'first', 'third']);
    await until(() => [...anew.jobs().values()].every((job) => job.step === 'contact'));
    expect(['first', 'second', 'third'].map((node) => anew.jobs().get(node)!.port)).toEqual([1, 3, 4]);
    expect([...anew.boardAt()]).toEqual([]);
  });
  it('a port whose board was taken off is anybody’s again', async () => {
    boards = [new Board({ digest: 'mismatch' })];
    const writer = begin();
    await writer.write(['first']);
    await until(() => writer.jobs().get('first')?.failure != null);
    boards[0] = new Board({});
    await writer.write(['second']);
    expect(writer.jobs().get('second')!.port).toBeNull();
    await writer.choosePort('first', null);
    await until(() => writer.jobs().get('second')?.step === 'contact');
  });
  it('writes a node at the port that was chosen for it, and nobody else there; chosen no more, at any', async () => {
    boards = [new Board({}), new Board({}), new Board({})];
    const writer = begin();
    await writer.lookAtPorts();
    expect(writer.ports()).toEqual([1, 2, 3]);
    await writer.choosePort('second', 1);
    await writer.choosePort('third', 2);
    await writer.choosePort('third', null);
    await writer.write(['first', 'second', 'third']);
    await until(() => [...writer.jobs().values()].every((job) => job.step === 'contact'));
    expect(['first', 'second', 'third'].map((node) => writer.jobs().get(node)!.port)).toEqual([2, 1, 3]);
    // Joined, their boards are off their ports.
    expect([...writer.boardAt()]).toEqual([]);
  });
  it('an error of the library, or half an image, never reaches a board', async () => {
    for (const answer of [() => Promise.reject(new ApiError(404, 'There is no image f.')), () => Promise.resolve(IMAGE.slice(0, 100))]) {
      TestBed.resetTestingModule();
      boards = [new Board({})];
      image = answer;
      const writer = begin();
      await writer.write(['a']);
      await until(() => writer.jobs().get('a')?.failure?.code === 'image-gone');
      expect([boards[0]!.offsets, told(1)]).toEqual([[], ['check failed image-gone']]);
    }
  });
  it('names the network that refused, whichever the node tried first', async () => {
    boards = [
      new Board({
        join: ['name-not-found', 'wrong-passphrase'],
        heard: [
          { name: 'wrenfold-nodes', dbm: -50 },
          { name: 'wrenfold-yard-2.4G', dbm: -60 },
        ],
      }),
    ];
    const writer = begin();
    await writer.write(['a']);
    await until(() => writer.jobs().get('a')?.failure != null);
    expect(writer.jobs().get('a')!.failure!.code).toBe('wrong-passphrase');
  });
  it('nodes wait for a port that is still open and take it once it is free', async () => {
    boards = [new Board({})];
    const writer = begin();
    openPorts.add(1);
    await writer.write(['late-1', 'late-2']);
    expect([...writer.jobs().values()].map((job) => [job.step, job.port])).toEqual([
      ['queued', null],
      ['queued', null],
    ]);
    openPorts.delete(1);
    await until(() => [...writer.jobs().values()].every((job) => job.step === 'contact'));
    expect(told(2).at(-1)).toBe('join done');
  });
});
