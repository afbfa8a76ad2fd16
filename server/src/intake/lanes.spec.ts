import fc from 'fast-check';
import { Lanes, LANES, type InLane } from './lanes';

interface Message extends InLane {
  readonly id: number;
}
let ids = 0;
const message = (sender: string, isLate: boolean, { since = 0, records = 100 } = {}): Message => ({
  id: ids++,
  sender,
  isLate,
  since,
  records,
});
const batchAt = (lanes: Lanes<Message>, now: number): string[] | number => {
  const next = lanes.next(now);
  if (next === null) return [];
  return 'waitMs' in next ? next.waitMs : next.batch.map(({ sender }) => sender);
};

describe('the lanes in front of the database', () => {
  it('let what is live go before what was kept, though that came first', () => {
    const lanes = new Lanes<Message>();
    for (const one of [message('away', true), message('away', true), message('here', false)]) lanes.add(one);
    expect([batchAt(lanes, 0), batchAt(lanes, 1), batchAt(lanes, 2)]).toEqual([['here'], ['away', 'away'], []]);
  });
  it('take what was kept in small turns while others send live, resting twice as long as a turn took', () => {
    const lanes = new Lanes<Message>();
    lanes.add(message('here', false));
    batchAt(lanes, 0);
    for (let i = 0; i < 12; i++) lanes.add(message('away', true));
    const next = lanes.next(10);
    if (!next || !('batch' in next)) throw new Error('it did not go');
    expect(next.batch).toHaveLength(LANES.lateRecords / 100);
    lanes.took(10, 30);
    expect(batchAt(lanes, 31)).toBe(39);
    lanes.add(message('here', false));
    expect([batchAt(lanes, 32), batchAt(lanes, 70)]).toEqual([['here'], Array<string>(LANES.lateRecords / 100).fill('away')]);
  });
  it('take much at once while nobody sends live, and where it has waited for long: it is never left to starve', () => {
    const lanes = new Lanes<Message>();
    for (let i = 0; i < 200; i++) lanes.add(message('away', true));
    const quiet = lanes.next(0);
    expect(quiet && 'batch' in quiet && quiet.batch.length).toBe(LANES.quietRecords / 100);
    lanes.add(message('here', false));
    batchAt(lanes, 5000);
    const overdue = lanes.next(5001);
    expect(overdue && 'batch' in overdue && overdue.batch.length).toBe(LANES.overdueRecords / 100);
  });
  it('a message of more than one turn’s records goes all the same, alone', () => {
    const lanes = new Lanes<Message>();
    lanes.add(message('here', false));
    batchAt(lanes, 0);
    lanes.add(message('away', true, { records: 1000, since: 1 }));
    lanes.add(message('away', true, { since: 1 }));
    expect(batchAt(lanes, 2)).toEqual(['away']);
  });
  it('keep the order of every sender, lose none and give none twice (any messages, any clock)', () => {
    const steps = fc.array(
      fc.oneof(
        fc.record({ sender: fc.constantFrom('a', 'b', 'c'), isLate: fc.boolean(), records: fc.integer({ min: 0, max: 900 }) }),
        fc.record({ ms: fc.integer({ min: 0, max: 3000 }) }),
      ),
      { maxLength: 60 },
    );
    fc.assert(
      fc.property(steps, (all) => {
        const lanes = new Lanes<Message>();
        const [sent, came]: [Message[], Message[]] = [[], []];
        let now = 0;
        const look = (): boolean => {
          const next = lanes.next(now);
          if (next === null) return false;
          if ('waitMs' in next) {
            expect(next.waitMs).toBeGreaterThan(0);
            now += next.waitMs;
            return true;
          }
          expect(next.batch.length).toBeGreaterThan(0);
          came.push(...next.batch);
          lanes.took(now, now + 7);
          now += 7;
          return true;
        };
        for (const step of all) {
          if ('ms' in step) {
            now += step.ms;
            look();
            continue;
          }
          const made = message(step.sender, step.isLate, { since: now, records: step.records });
          sent.push(made);
          lanes.add(made);
        }
        while (look());
        expect(came).toHaveLength(sent.length);
        for (const sender of ['a', 'b', 'c']) {
          const of = (messages: readonly Message[]): number[] => messages.filter((one) => one.sender === sender).map(({ id }) => id);
          expect(of(came)).toEqual(of(sent));
        }
      }),
    );
  });
});
