import { formatSpan } from '@dewpost/core/quantity';
import { runUnderWay, type TimetableRun } from '@dewpost/core/time';
import { DateTime } from 'luxon';
import type { OutputTimetable, PointEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Effect } from './effects';
import type { Part } from './parts';

/** A run that is due and was not begun yet. */
export interface DueRun {
  readonly output: PointEntry;
  readonly timetable: OutputTimetable;
  readonly run: TimetableRun;
  /** Why it is passed over, in words; `null`: it is begun. */
  readonly missed: string | null;
}

/** Runs to be begun at `now` (ms). One that was begun before, or ended by hand, is not begun again; one that is late runs for what is left of it. */
export function dueRuns(registry: Registry, now: number): DueRun[] {
  return [...registry.points.values()].flatMap((output): DueRun[] => {
    const { timetable } = output;
    if (!timetable || timetable.lines.length === 0) return [];
    const run = runUnderWay(timetable.lines, registry.timezone, now);
    // A begin that lies ahead was noted by a clock that ran ahead: it holds nothing up.
    if (!run || (run.at <= timetable.begunAt && timetable.begunAt <= now)) return [];
    const missed = output.lock ? `locked out by ${output.lock.by}` : registry.armedAt(output) ? null : 'it was not armed just then';
    return [{ output, timetable, run, missed }];
  });
}

/** The demands of runs that are begun. */
export const runEffects = (due: readonly DueRun[], zone: string, now: number): Effect[] =>
  due
    .filter(({ missed }) => missed === null)
    .map(({ output, run }) => ({
      kind: 'start-demand',
      demand: {
        ...{ output, source: 'timetable', threshold: null, startedAt: now, endsAt: run.endsAt, by: 'timetable' },
        reason: `timetable, ${wall(run.at, zone)} for ${formatSpan((run.endsAt - run.at) / 1000)}`,
      },
    }));

/** What the same statement notes: which runs are begun or passed over, and in the log of its node why. */
export const runParts = (due: readonly DueRun[], zone: string): Part[] => {
  if (due.length === 0) return [];
  const missed = due.flatMap(({ output, run, missed: why }) =>
    why === null ? [] : [{ node: output.node.id, body: `${output.name} did not run at ${wall(run.at, zone)} by its timetable: ${why}` }],
  );
  return [
    {
      name: 'run_begun',
      sql: `update timetable t set begun_at = to_timestamp(r.at / 1000.0)
        from json_to_recordset(cast(? as json)) as r(point int, at float8) where t.point_id = r.point`,
      bindings: [JSON.stringify(due.map(({ output, run }) => ({ point: output.id, at: run.at })))],
    },
    ...(missed.length === 0
      ? []
      : [
          {
            name: 'run_missed',
            sql: `insert into node_log (node_id, level, body)
              select node, 'warning', body from json_to_recordset(cast(? as json)) as r(node int, body text)`,
            bindings: [JSON.stringify(missed)],
          },
        ]),
  ];
};

/** Once that is written. */
export function noteRuns(due: readonly DueRun[]): void {
  for (const { output, timetable, run } of due) if (output.timetable === timetable) output.timetable = { ...timetable, begunAt: run.at };
}

const wall = (at: number, zone: string): string => DateTime.fromMillis(at, { zone }).toFormat('HH:mm');
