import { floodShifted, shiftThreshold } from '@dewpost/core/alarm';
import { formatDuration } from '@dewpost/core/quantity';
import { Draft, type EngineState } from './draft';
import { NOBODY_TOLD, rowOfTold, toldShifted } from './told';
import { Writes } from './writes';

/** The state after the clock was set by so many ms, and what is to be written of it: what has run of every delay and time limit has run, and no more. */
export function movedWithClock(state: EngineState, byMs: number): { draft: Draft; writes: Writes } {
  const draft = new Draft(state);
  for (const id of state.thresholds.keys()) draft.setThreshold(id, shiftThreshold(draft.threshold(id), byMs));
  for (const [id, newest] of state.newest) draft.newest.set(id, { ...newest, at: newest.at + byMs });
  for (const [id, at] of state.lastGood) draft.lastGood.set(id, at + byMs);
  for (const [id, last] of state.commands) draft.commands.set(id, { ...last, at: last.at + byMs, since: last.since + byMs });
  for (const [id, demands] of state.demands)
    draft.demands.set(
      id,
      demands.map((demand) => ({
        ...demand,
        startedAt: demand.startedAt + byMs,
        endsAt: demand.endsAt === null ? null : demand.endsAt + byMs,
      })),
    );
  draft.flood = floodShifted(state.flood, byMs);
  const writes = new Writes();
  // Whoever comes next comes as long after the trip as if nobody had set it.
  for (const { id } of state.alerts.values()) {
    const told = toldShifted(state.told.get(id) ?? NOBODY_TOLD, byMs);
    draft.told.set(id, told);
    writes.told(id, rowOfTold(told));
  }
  writes.keepStates(draft.changes());
  writes.beside({
    name: 'time_limits_moved',
    sql: `update demand set ends_at = ends_at + ? * interval '1 millisecond', started_at = started_at + ? * interval '1 millisecond'
      where ended_at is null`,
    bindings: [byMs, byMs],
  });
  writes.beside({
    name: 'clock_noted',
    sql: `insert into node_log (node_id, level, body) select id, 'info', cast(? as text) from node`,
    bindings: [
      `the clock of the house was set ${byMs > 0 ? 'forward' : 'back'} by ${formatDuration(Math.abs(byMs))}: delays and time limits go on from where they were`,
    ],
  });
  return { draft, writes };
}
