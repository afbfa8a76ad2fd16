import type { TripTest } from '@dewpost/contract';
import { judgeLegs, type LegResult, type TestScope, type TestTimes } from '@dewpost/core/proof';
import { WATERMARK_LAG_MS } from '../engine/look';
import type { PointEntry } from '../model/entries';

/** The test under way, as this server knows it. */
export interface UnderWay {
  readonly view: Omit<TripTest, 'legs' | 'phase' | 'endedAt' | 'endedWhy' | 'passed'>;
  readonly scope: TestScope;
  /** Points whose readings may make it trip. */
  readonly points: readonly PointEntry[];
  readonly output: PointEntry | null;
  times: TestTimes;
  phase: TripTest['phase'];
  why: string | null;
  /** What a node said that hindered its output. */
  detail: string | null;
  /** For how long a guard has held it, ms: that is no fault of the leg. */
  heldMs: number;
  /** What came of it, once it is over; when, ms. */
  over: { readonly endedAt: number; readonly passed: boolean } | null;
}

/** An output may be held on for its least time: that is no fault of the leg. */
const heldOn = ({ output }: UnderWay): number => (output?.body.output?.guards.minOnSeconds ?? 0) * 1000;

/** Its legs, each with what it took so far. */
export function legsIn(running: UnderWay): TripTest['legs'] {
  const { scope, times } = running;
  return judgeLegs(scope, times, {
    ...{ 'put back': heldOn(running), output: running.heldMs },
    // What no reading brings about is seen by a look that runs behind the clock on purpose.
    rule: scope.reads ? 0 : WATERMARK_LAG_MS,
  }).map((leg) => ({
    ...leg,
    detail: detailOf(running, leg),
  }));
}

function detailOf({ times, detail, view, output }: UnderWay, { leg, ms, passed }: LegResult): string | null {
  if (passed) return null;
  if (ms !== null) return 'took longer than its limit';
  switch (leg) {
    case 'sensor':
    case 'rule':
      return view.how === 'by hand' ? 'it was not moved, or its node did not say so' : 'no reading met the setpoint of the test';
    case 'message':
      return times.trippedAt === null ? null : 'nothing arrived: no way, quiet hours, or on the shelf';
    case 'output':
      return times.trippedAt === null ? null : (detail ?? 'it did not read back as it was told');
    case 'put back':
      return times.commandedAt === null ? 'it was not switched' : `${output?.body.label ?? 'it'} has not read back off: look at it`;
  }
}

/** As pages see it. */
export const viewOf = (running: UnderWay): TripTest => ({
  ...running.view,
  phase: running.phase,
  endedAt: running.over?.endedAt ?? null,
  endedWhy: running.why,
  passed: running.over?.passed ?? null,
  legs: legsIn(running),
});
