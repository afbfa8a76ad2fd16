import { pino } from 'pino';
import type { NodeEntry } from '../model/entries';
import { emptyVerdict, type Received, type Verdict } from './batch';
import { Intake, LIMITS, PressureError } from './intake';
import type { PipelineParts } from './pipeline';
import { PoisonError } from './poison';
import type { LogLine } from '../model/node-log';

const node = (name: string): NodeEntry => ({ name, points: new Map(), reportSeconds: 10 }) as unknown as NodeEntry;
const message = (name: string, value: number): Omit<Received, 'decoded'> => ({
  node: node(name),
  body: `{"temperature":${value}}`,
  arrivedAt: 0,
});
const valueOf = (received: Received): number => received.decoded.samples[0]?.value ?? NaN;

/** An intake whose database is `take`; batches it was given are kept. */
function rig(take: (batch: readonly Received[]) => Promise<void>) {
  const batches: number[][] = [];
  const told: string[] = [];
  const couldNotListen = jest.fn();
  const parts = {
    engine: { work: <T>(piece: () => Promise<T>): Promise<T> => piece(), couldNotListen },
    note: (lines: readonly LogLine[]) => void told.push(...lines.map(({ node: who, text }) => `${who.name}: ${text}`)),
  } as unknown as PipelineParts;
  const intake = new Intake(parts, pino({ level: 'silent' }), async (_parts, messages): Promise<Verdict[]> => {
    batches.push(messages.map(valueOf));
    await take(messages);
    return messages.map(() => ({ ...emptyVerdict(), stored: 1 }));
  });
  return { intake, batches, told, couldNotListen };
}
const sqlError = (code: string): Error => Object.assign(new Error('the database says no'), { code });

describe('intake', () => {
  it('gathers what arrives while a batch is being written, in order of arrival', async () => {
    const { intake, batches } = rig(() => new Promise((resolve) => setTimeout(resolve, 20)));
    await Promise.all([1, 2, 3, 4, 5].map((value) => intake.add(message(`n-${value}`, value))));
    expect(batches).toEqual([[1], [2, 3, 4, 5]]);
    expect(intake.readingsPerMinute()).toBe(5);
  });

  it('halves a poisonous batch until the bad message is alone: it is refused and logged, the others are stored', async () => {
    const { intake, batches, told } = rig((batch) =>
      batch.some((received) => valueOf(received) === 13) ? Promise.reject(new PoisonError('no such number')) : Promise.resolve(),
    );
    const first = intake.add(message('a', 0));
    const verdicts = await Promise.all([first, ...[1, 2, 13, 4, 5, 6].map((value) => intake.add(message(`n-${value}`, value)))]);
    expect(verdicts.map((verdict) => verdict.stored)).toEqual([1, 1, 1, 0, 1, 1, 1]);
    expect(verdicts[3]!.refused[0]!.why).toMatch(/cannot hold this message/);
    expect(told).toEqual([expect.stringMatching(/^n-13: /)]);
    const stored = batches.filter((batch) => !batch.includes(13)).flat();
    expect([...stored].sort((a, b) => a - b)).toEqual([0, 1, 2, 4, 5, 6]);
    // Nothing was taken out of turn.
    expect([...stored].sort((a, b) => a - b)).toEqual(stored);
  });

  it('an error of ours is nobody else’s: the message that meets it is not answered, and not refused, the others are stored', async () => {
    const { intake, told } = rig((batch) =>
      batch.some((received) => valueOf(received) === 13) ? Promise.reject(sqlError('23505')) : Promise.resolve(),
    );
    const first = intake.add(message('a', 0));
    const sent = await Promise.allSettled([first, ...[1, 13, 4].map((value) => intake.add(message(`n-${value}`, value)))]);
    expect(sent.map((one) => one.status)).toEqual(['fulfilled', 'fulfilled', 'rejected', 'fulfilled']);
    expect(told).toEqual([]);
  });

  it('holds a batch and tries again when the database cannot be reached', async () => {
    let down = 2;
    const failing: boolean[] = [];
    const { intake, batches, couldNotListen } = rig(() => {
      failing.push(intake.failing);
      return down-- > 0 ? Promise.reject(sqlError('57P01')) : Promise.resolve();
    });
    expect((await intake.add(message('a', 1))).stored).toBe(1);
    // Whoever watches over the process is told: a database that answers and has no room left stores nothing.
    expect([...failing, intake.failing]).toEqual([false, true, true, false]);
    // Nodes that could not be heard are not silent for it.
    expect(couldNotListen).toHaveBeenCalledTimes(2);
    expect(batches).toEqual([[1], [1], [1]]);
  });

  it('what comes live is stored at once, though what was kept rests between two turns', async () => {
    let finish: () => void = () => undefined;
    const { intake, batches } = rig(async (batch) => {
      if (batch.some((received) => valueOf(received) === 1)) await new Promise<void>((resolve) => (finish = resolve));
    });
    const now = Date.now();
    // Five hours old: kept while its node was away.
    const kept = (value: number): Promise<Verdict> =>
      intake.add({ ...message('away', value), body: `[{"n":"temperature","t":${now / 1000 - 18_000},"v":${value}}]`, arrivedAt: now });
    const live = (value: number): Promise<Verdict> => intake.add({ ...message(`here-${value}`, value), arrivedAt: now });
    // The clock that the rest is measured by stands still until it is moved.
    let clock = 0;
    const watched = jest.spyOn(performance, 'now').mockImplementation(() => clock);
    await live(0);
    const first = kept(1);
    await Promise.resolve();
    clock += 100;
    const second = kept(2);
    finish();
    await first;
    // It rests for twice as long as the turn took, 200 ms by a clock that stands: what comes live is not waited with.
    await live(3);
    expect(batches).toEqual([[0], [1], [3]]);
    clock += 200;
    await second;
    expect(batches).toEqual([[0], [1], [3], [2]]);
    watched.mockRestore();
  });

  it('lets a sender go unacknowledged when too much of its own is waiting, and nobody else', async () => {
    let release: () => void = () => undefined;
    const { intake } = rig(() => new Promise((resolve) => (release = resolve)));
    const busy = node('busy');
    const sent = Array.from({ length: LIMITS.perNode }, (_, i) => intake.add({ ...message('busy', i), node: busy }));
    await expect(intake.add({ ...message('busy', 99), node: busy })).rejects.toThrow(PressureError);
    const other = intake.add(message('calm', 1));
    release();
    await new Promise((resolve) => setTimeout(resolve, 5));
    release();
    await Promise.all([...sent, other]);
    const again = intake.add({ ...message('busy', 100), node: busy });
    await new Promise((resolve) => setTimeout(resolve, 5));
    release();
    expect((await again).stored).toBe(1);
    await intake.drain();
    await expect(intake.add(message('calm', 2))).rejects.toThrow(PressureError);
  });
});
