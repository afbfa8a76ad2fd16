import fc from 'fast-check';
import { quietHours } from '../time';
import { dueTellings, routeFault, tellings, type Course, type Route, type Target } from '.';

const MIN = 60_000;
const NEVER = quietHours('UTC', null);
const NIGHT = quietHours('UTC', { from: 22 * 60, to: 6 * 60 + 30 });
const AT = Date.UTC(2026, 10, 28, 3, 10);
const course = (afterMinutes: number, to: Course['to'], everyMinutes: number | null = null): Course => ({ afterMinutes, to, everyMinutes });
const route = (courses: Course[], change: Partial<Route> = {}): Route => ({ courses, quiet: 'tell', allClear: 'always', ...change });
const said = (all: ReturnType<typeof tellings>, from = AT): string[] =>
  all.map(({ at, course: stair, repetition }) => `${(at - from) / MIN} min: ${stair}.${repetition}`);

describe('a route', () => {
  const stairs = route([course(0, ['handset'], 2), course(10, [1]), course(20, [2], 15)]);
  it('tells one course after the other, each again as often as it says, until somebody acknowledges', () => {
    expect(said(tellings(stairs, AT, AT + 5 * MIN, NEVER))).toEqual(['0 min: 0.0', '2 min: 0.1', '4 min: 0.2']);
    const all = said(tellings(stairs, AT, AT + 40 * MIN, NEVER));
    expect(all.filter((text) => !text.includes(': 0.'))).toEqual(['10 min: 1.0', '20 min: 2.0', '35 min: 2.1']);
  });
  it('kept over quiet hours, its stairs begin when those are over; told all the same where it says so', () => {
    const kept = tellings({ ...stairs, quiet: 'keep' }, AT, AT + 4 * 60 * MIN, NIGHT);
    expect([said(kept)[0], kept[0]!.kept]).toEqual(['200 min: 0.0', true]);
    expect(tellings({ ...stairs, quiet: 'keep' }, AT, AT + 3 * 60 * MIN, NIGHT)).toEqual([]);
    expect(said(tellings(stairs, AT, AT, NIGHT))).toEqual(['0 min: 0.0']);
  });
  it('goes on at once where nobody was reached, and never earlier than quiet hours allow', () => {
    const hurried = { course: 1, at: AT + 3 * MIN };
    expect(said(tellings(stairs, AT, AT + 3 * MIN, NEVER, hurried))).toEqual(['0 min: 0.0', '2 min: 0.1', '3 min: 1.0']);
    expect(tellings({ ...stairs, quiet: 'keep' }, AT, AT + 60 * MIN, NIGHT, hurried)).toEqual([]);
    // What was planned sooner is not put off.
    expect(said(tellings(stairs, AT, AT + 12 * MIN, NEVER, { course: 1, at: AT + 11 * MIN }))).toContain('10 min: 1.0');
  });
  it('a server that was away tells the newest of each course, once, not all that it missed', () => {
    const at61 = (told: ReadonlyMap<number, number>) => dueTellings(stairs, { trippedAt: AT, now: AT + 61 * MIN, told }, NEVER);
    const due = at61(new Map([[0, AT + 4 * MIN]]));
    expect(due.map(({ course: stair, repetition }) => [stair, repetition])).toEqual([
      [0, 30],
      [1, 0],
      [2, 2],
    ]);
    expect(at61(new Map(due.map(({ course: stair, at }) => [stair, at])))).toEqual([]);
  });
  it('another interval for what is open neither floods nor silences it; what is told once is told once, whenever it begins', () => {
    const told = new Map([
      [0, AT + 60 * MIN],
      [1, AT + 10 * MIN],
    ]);
    const at = (every: number, minutes: number) =>
      dueTellings(route([course(0, ['handset'], every), course(20, [1])]), { trippedAt: AT, now: AT + minutes * MIN, told }, NEVER);
    expect([at(15, 61), at(15, 74)]).toEqual([[], []]);
    expect(at(15, 75).map((one) => one.at)).toEqual([AT + 75 * MIN]);
    expect(at(1, 75).map((one) => one.at)).toEqual([AT + 75 * MIN]);
  });
  it('however often it is looked at, each telling goes once, in order, and none is late by more than a look', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ after: fc.integer({ min: 1, max: 30 }), every: fc.option(fc.integer({ min: 1, max: 9 })) }), {
          minLength: 1,
          maxLength: 4,
        }),
        fc.array(fc.integer({ min: 1, max: 50 }), { maxLength: 200 }),
        (steps, looks) => {
          let after = 0;
          const one = route(steps.map(({ after: more, every }, i) => course((after += i === 0 ? 0 : more), [i], every)));
          const told = new Map<number, number>();
          const went: string[] = [];
          let now = AT;
          let before = AT;
          for (const seconds of [0, ...looks]) {
            now += seconds * 1000;
            for (const due of dueTellings(one, { trippedAt: AT, now, told }, NEVER)) {
              went.push(`${due.course}.${due.repetition}`);
              told.set(due.course, due.at);
              expect(due.at).toBeGreaterThan(before === AT && now === AT ? AT - 1 : before - 1);
            }
            before = now;
          }
          expect(new Set(went).size).toBe(went.length);
          // Looked at every 50 s at most, nothing of a minute or more apart is passed over.
          expect(went.length).toBe(tellings(one, AT, now, NEVER).length);
        },
      ),
    );
  });
});

describe('a route that cannot be', () => {
  it.each([
    ['warning', [course(0, [])], ['handset', 3], /tells nobody/],
    ['warning', [course(0, ['handset']), course(0, [1])], ['handset', 3], /course 2 comes no later/],
    ['critical', [course(5, ['handset'])], ['handset', 3], /told at once/],
    ['critical', [], ['handset', 3], /told at once/],
    ['critical', [course(0, [1])], ['handset', 3], /inside the building/],
    ['critical', [course(0, [1])], [], null],
    ['advisory', [], ['handset', 3], null],
    ['critical', [course(0, ['handset', 1]), course(10, [2])], ['handset', 3], null],
    ['critical', [course(0, [1]), course(10, [3])], ['handset', 3], null],
  ] as const)('%s %j', (severity, courses, inside, words) => {
    const fault = routeFault(severity, { courses }, new Set<Target>(inside));
    if (words === null) expect(fault).toBeNull();
    else expect(fault).toMatch(words);
  });
});
