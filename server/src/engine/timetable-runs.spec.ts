import type { OutputTimetable, PointEntry } from '../model/entries';
import { Registry } from '../model/registry';
import { dueRuns, noteRuns, runEffects, runParts } from './timetable-runs';

const EVERY_DAY = [1, 2, 3, 4, 5, 6, 7];
const SIX = Date.UTC(2026, 10, 28, 6);
const MINUTE = 60_000;
const timetable = (change: Partial<OutputTimetable> = {}): OutputTimetable => ({
  ...{ version: 1, lines: [{ weekdays: EVERY_DAY, minute: 360, seconds: 600, again: null }], hours: null, begunAt: 0 },
  ...change,
});
/** One output; only what runs of a timetable hang on. */
function house(change: Partial<PointEntry> = {}, armed = true): { registry: Registry; output: PointEntry } {
  const registry = new Registry();
  const output = { id: 7, name: 'fan', node: { id: 1, name: 'loft-1' }, lock: null, timetable: timetable(), ...change } as PointEntry;
  registry.points.set(output.id, output);
  registry.armedAt = () => armed;
  return { registry, output };
}
const startsAt = (registry: Registry, now: number): (number | null)[] =>
  dueRuns(registry, now).map(({ run, missed }) => (missed === null ? run.at : null));

describe('runs of timetables', () => {
  it('are due from their start until their end, once', () => {
    const { registry } = house();
    expect(startsAt(registry, SIX - 1)).toEqual([]);
    expect(startsAt(registry, SIX)).toEqual([SIX]);
    noteRuns(dueRuns(registry, SIX));
    expect([startsAt(registry, SIX + MINUTE), startsAt(registry, SIX + 10 * MINUTE)]).toEqual([[], []]);
    expect(startsAt(registry, SIX + 86_400_000)).toEqual([SIX + 86_400_000]);
  });

  it('late, end when they would have ended, not later', () => {
    const { registry, output } = house();
    const [effect] = runEffects(dueRuns(registry, SIX + 4 * MINUTE), 'UTC', SIX + 4 * MINUTE);
    expect(effect).toMatchObject({ kind: 'start-demand', demand: { output, startedAt: SIX + 4 * MINUTE, endsAt: SIX + 10 * MINUTE } });
  });

  it('locked out or unarmed are passed over with their reason, and ask for nothing', () => {
    const locked = house({ lock: { by: 'baker', reason: 'at the belt', since: 0, until: null } }).registry;
    const unarmed = house({}, false).registry;
    for (const [registry, why] of [
      [locked, /locked out by baker/],
      [unarmed, /not armed/],
    ] as const) {
      const due = dueRuns(registry, SIX);
      expect([runEffects(due, 'UTC', SIX), runParts(due, 'UTC').map(({ name }) => name)]).toEqual([[], ['run_begun', 'run_missed']]);
      expect(due[0]?.missed).toMatch(why);
    }
  });

  it('are not held up for ever by a begin that was noted while the clock ran ahead', () => {
    const { registry } = house({ timetable: timetable({ begunAt: Date.UTC(2031, 0, 1, 6) }) });
    expect(startsAt(registry, SIX)).toEqual([SIX]);
  });

  it('that were begun before the clock went back an hour do not run twice', () => {
    const { registry } = house({ timetable: timetable({ begunAt: SIX }) });
    expect([startsAt(registry, SIX - 30 * MINUTE), startsAt(registry, SIX)]).toEqual([[], []]);
  });

  it('of a timetable that was laid down anew meanwhile are not noted at it', () => {
    const { registry, output } = house();
    const due = dueRuns(registry, SIX);
    output.timetable = timetable({ version: 2, begunAt: SIX - MINUTE });
    noteRuns(due);
    expect(output.timetable.begunAt).toBe(SIX - MINUTE);
  });
});
