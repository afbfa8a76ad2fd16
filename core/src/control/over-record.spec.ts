import fc from 'fast-check';
import { columnsOf, isWithin, type Excursion } from '../alarm';
import { isWantedInCycle, outputOver, poweredUp, shareOf, stepOutput, type OutputGuards, type RehearsedOutput } from '.';

const [S, MIN, HOUR] = [1000, 60_000, 3_600_000];
const DAY = 24 * HOUR;
const RULE = { side: 'low' as const, setpoint: 60, deadband: 4, clearLevel: 64 };
const FREE: OutputGuards = { minOnMs: 0, minOffMs: 0, maxRunMs: null, restMs: 0, dailyCapMs: null };
const plain = (more: Partial<RehearsedOutput> = {}): RehearsedOutput => ({
  ...{ guards: FREE, mostStarts: null, hours: null, zone: 'UTC', share: null },
  ...more,
});
const NOTHING = columnsOf([]);
const over = (wanted: Excursion[], output: RehearsedOutput, until = DAY, columns = NOTHING) =>
  outputOver(RULE, wanted, columns, { from: 0, until }, output);

describe('what an output would have done over a record', () => {
  it('without guards it does what its rule wants; a stretch that had not ended goes on to the end of the record', () => {
    const wanted = [
      { from: MIN, to: 3 * MIN },
      { from: HOUR, to: null },
    ];
    expect(over(wanted, plain(), 2 * HOUR)).toEqual({ runs: wanted, starts: 2, onMs: 2 * MIN + HOUR, keptOffMs: 0 });
    expect(over([], plain())).toEqual({ runs: [], starts: 0, onMs: 0, keptOffMs: 0 });
  });

  it('runs on through its least time, waits through its pause, ends a run that is too long and rests after it', () => {
    const guards = { ...FREE, minOnMs: 2 * MIN, minOffMs: 5 * MIN };
    // Wanted for ten seconds, and again a minute later: that is put off until it has been off for long enough.
    const short = [
      { from: 10 * MIN, to: 10 * MIN + 10 * S },
      { from: 11 * MIN + 10 * S, to: 20 * MIN },
    ];
    expect(over(short, plain({ guards })).runs).toEqual([{ from: 10 * MIN, to: 20 * MIN }]);
    const apart = [short[0] as Excursion, { from: 13 * MIN, to: 20 * MIN }];
    expect(over(apart, plain({ guards }))).toMatchObject({
      runs: [
        { from: 10 * MIN, to: 12 * MIN },
        { from: 17 * MIN, to: 20 * MIN },
      ],
      keptOffMs: 4 * MIN,
    });
    // An hour on end, ten minutes at a time with five to rest: four runs, the last of them whole at its end.
    const long = over([{ from: 0, to: HOUR }], plain({ guards: { ...FREE, maxRunMs: 10 * MIN, restMs: 5 * MIN } }));
    expect([long.starts, long.onMs, long.keptOffMs]).toEqual([4, 40 * MIN, 20 * MIN]);
  });

  it('spends its day and is off until midnight of its site; hours in which it may not run are no hours it is on in', () => {
    const always = [{ from: 0, to: null }];
    const capped = over(always, plain({ guards: { ...FREE, dailyCapMs: HOUR }, zone: 'Europe/Vienna' }), 2 * DAY);
    // Midnight of that zone is at 23:00 of the record's clock.
    expect(capped.runs).toEqual([
      { from: 0, to: HOUR },
      { from: 23 * HOUR, to: DAY },
      { from: DAY + 23 * HOUR, to: null },
    ]);
    const hours = { zone: 'UTC', weekdays: [1, 2, 3, 4, 5, 6, 7], from: 22 * 60, to: 6 * 60 };
    expect(over(always, plain({ hours }), 2 * DAY).onMs).toBe(16 * HOUR);
    const often = Array.from({ length: 12 }, (_, i) => ({ from: i * 4 * HOUR, to: i * 4 * HOUR + MIN }));
    expect(over(often, plain({ mostStarts: 2 }), 2 * DAY).runs.map(({ from }) => from / HOUR)).toEqual([0, 4, 24, 28]);
  });

  it('in proportion it runs for a share of each cycle, from the value that was read last', () => {
    const share = { band: 8, cycleSeconds: 600 };
    // 4 below where it clears, half of the band: five minutes of ten. Then 8 below: without a pause.
    const columns = columnsOf([
      { at: 0, value: 60, quality: 'good' },
      { at: 20 * MIN, value: 56, quality: 'good' },
      { at: 25 * MIN, value: 10, quality: 'bad' },
    ]);
    const { runs, keptOffMs } = over([{ from: 0, to: 40 * MIN }], plain({ share }), HOUR, columns);
    expect([runs, keptOffMs]).toEqual([
      [
        { from: 0, to: 5 * MIN },
        { from: 10 * MIN, to: 15 * MIN },
        { from: 20 * MIN, to: 40 * MIN },
      ],
      0,
    ]);
    // Nothing read, nothing run.
    expect(over([{ from: 0, to: 40 * MIN }], plain({ share })).starts).toBe(0);
  });

  it('from one moment at which something changes to the next is as good as second by second', () => {
    const seconds = (max: number) => fc.integer({ min: 0, max }).map((n) => n * S);
    const guardsOf = fc.record({
      ...{ minOnMs: seconds(90), minOffMs: seconds(90), restMs: seconds(120) },
      maxRunMs: fc.option(fc.integer({ min: 1, max: 200 }).map((n) => n * S)),
      dailyCapMs: fc.option(fc.integer({ min: 1, max: 600 }).map((n) => n * S)),
    });
    const outputs = fc.record({
      ...{ guards: guardsOf, mostStarts: fc.option(fc.integer({ min: 1, max: 4 })), zone: fc.constantFrom('UTC', 'Asia/Kolkata') },
      hours: fc.option(fc.constant({ zone: 'UTC', weekdays: [1, 2, 3, 4, 5, 6, 7], from: 18 * 60 + 10, to: 18 * 60 + 40 })),
      share: fc.option(fc.record({ band: fc.constant(8), cycleSeconds: fc.integer({ min: 4, max: 37 }).map((eighths) => eighths * 8) })),
    });
    const edges = fc.uniqueArray(fc.integer({ min: 0, max: 3600 }), { maxLength: 12 });
    const values = fc.array(fc.integer({ min: 50, max: 66 }), { minLength: 1, maxLength: 60 });
    // Around midnight of Kolkata.
    const from = 18 * HOUR;
    const span = { from, until: from + HOUR };
    fc.assert(
      fc.property(outputs, edges, values, (output, at, read) => {
        const sorted = at.sort((a, b) => a - b).map((n) => from + n * S);
        const wanted = sorted.flatMap((begin, i): Excursion[] => (i % 2 === 0 ? [{ from: begin, to: sorted[i + 1] ?? null }] : []));
        const samples = read.map((value, i) => ({ at: from + i * MIN, value, quality: 'good' as const }));
        const found = outputOver(RULE, wanted, columnsOf(samples), span, output);
        expect(found.runs).toEqual(bySeconds(output, wanted, samples, span));
        const ran = found.runs.reduce((sum, run) => sum + (run.to ?? span.until) - run.from, 0);
        expect(found.onMs).toBeCloseTo(ran, 3);
      }),
      { numRuns: 150 },
    );
  });
});

/** The same, looked at every second: what runs there for less than that is not there to be found. */
function bySeconds(
  { guards, mostStarts, hours, zone, share }: RehearsedOutput,
  wanted: readonly Excursion[],
  samples: readonly { at: number; value: number }[],
  { from, until }: { from: number; until: number },
): Excursion[] {
  const dayOf = (at: number): number => Math.floor((at + (zone === 'UTC' ? 0 : 5.5 * HOUR)) / DAY);
  let state = poweredUp(from - guards.minOffMs, dayOf(from));
  let starts = 0;
  const runs: { from: number; to: number | null }[] = [];
  for (let at = from; at < until; at += S) {
    if (dayOf(at) !== state.day) starts = 0;
    const stretch = wanted.find((one) => one.from <= at && at < (one.to ?? Infinity));
    const value = samples.findLast((sample) => sample.at <= at)?.value;
    const told = runs.length === 0 ? null : { on: state.on, at: state.changedAt };
    const inShare =
      !share ||
      (stretch !== undefined &&
        value !== undefined &&
        isWantedInCycle(...([shareOf(share, 'low', 64, value), share.cycleSeconds * 1000, guards, stretch.from, told, at] as const)));
    const may = (hours === null || isWithin(hours, at)) && (state.on || mostStarts === null || starts < mostStarts);
    const was = state.on;
    state = stepOutput(guards, state, {
      ...{ at, day: dayOf(at), demand: stretch !== undefined && may && inShare, commandAgeMs: 0, leaseMs: Infinity },
    });
    if (state.on && !was) {
      starts++;
      runs.push({ from: at, to: null });
    }
    const last = runs.at(-1);
    if (was && !state.on && last) last.to = at;
  }
  return runs;
}
