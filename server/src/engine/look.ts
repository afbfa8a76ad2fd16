import type { Logger } from 'pino';
import type { Registry } from '../model/registry';
import type { Draft, EngineState } from './draft';
import type { Effect } from './effects';
import { evaluateTick } from './evaluate';
import { silencesOf, type Silence } from './silence';
import { tellWhoIsDue, type Routes } from './telling';
import { dueRuns, runEffects } from './timetable-runs';
import { watchOutputs } from './watch-outputs';

/** Live ticks run this far behind the clock: readings on their way are not overtaken. */
export const WATERMARK_LAG_MS = 2000;

/** What time alone decides at `now` (ms): delays that have run, silences, outputs that do not answer, timetables, who is told next. */
export function lookAt(
  state: EngineState,
  draft: Draft,
  house: { registry: Registry; routes: Routes; log: Logger; now: number; listeningSince: number },
): { effects: Effect[]; runs: ReturnType<typeof dueRuns>; silences: Silence[] } {
  const { registry, routes, log, now, listeningSince } = house;
  const runs = dueRuns(registry, now);
  const silences = silencesOf(registry, state.alerts, now, listeningSince);
  const passed = evaluateTick(registry, draft, now - WATERMARK_LAG_MS, { now, listeningSince }, ({ id }, error) =>
    log.error({ err: error, threshold: id }, 'time could not pass at a threshold'),
  );
  return {
    runs,
    silences,
    effects: [
      ...passed,
      ...silences.flatMap(({ effect }) => effect ?? []),
      ...watchOutputs(registry, state, now),
      ...runEffects(runs, registry.timezone, now),
      ...tellWhoIsDue(registry, state, routes, now),
    ],
  };
}
