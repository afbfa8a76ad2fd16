import type { Point, Relay, Threshold } from '@dewpost/contract';
import type { OutputGuards, RehearsedOutput } from '@dewpost/core/control';
import { computed, inject, type Signal } from '@angular/core';
import { Store } from '@ngrx/store';
import { allPoints, allRelays } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import type { WhatFollows } from './what-follows';

/** The guards of an output, as its node keeps them. */
export const guardsOf = ({ output }: Point): OutputGuards => ({
  minOnMs: (output?.guards.minOnSeconds ?? 0) * 1000,
  minOffMs: (output?.guards.minOffSeconds ?? 0) * 1000,
  maxRunMs: output?.guards.maxRunSeconds === null || output === null ? null : output.guards.maxRunSeconds * 1000,
  restMs: (output?.guards.restSeconds ?? 0) * 1000,
  dailyCapMs: null,
});

/** How an output does what its rule wants: within its guards, its hours and what its day may hold. */
export function rehearsedOutput(
  output: Point,
  relay: Pick<Relay, 'timetable' | 'limits'> | undefined,
  zone: string,
  share: Threshold['proportional'],
): RehearsedOutput {
  const { hours = null } = relay?.timetable ?? {};
  const { seconds = null, starts = null } = relay?.limits ?? {};
  return {
    guards: { ...guardsOf(output), dailyCapMs: seconds === null ? null : seconds * 1000 },
    ...{ mostStarts: starts, zone, share },
    hours: hours && { ...hours, zone, weekdays: [1, 2, 3, 4, 5, 6, 7] },
  };
}

/** Outputs of the rule that is drawn and of the one in force, as a rehearsal runs them; `null`: it switches none on. */
export function rehearsedOutputs(
  switched: Signal<Point | null>,
  what: WhatFollows,
  before: Threshold | null,
): { drawn: Signal<RehearsedOutput | null>; inForce: Signal<RehearsedOutput | null> } {
  const store = inject(Store);
  const [points, relays] = [store.selectSignal(allPoints.selectEntities), store.selectSignal(allRelays.selectEntities)];
  const zone = store.selectSignal(selectTimezone);
  const of = (output: Point | null | undefined, on: boolean, share: Threshold['proportional']): RehearsedOutput | null =>
    output && on ? rehearsedOutput(output, relays()[output.id], zone(), share) : null;
  // Readings that come in change outputs all the time: what decides how they run stays the same.
  const equal = (a: RehearsedOutput | null, b: RehearsedOutput | null): boolean => JSON.stringify(a) === JSON.stringify(b);
  return {
    drawn: computed(() => of(switched(), what.act() === 'on', what.proportional(switched()?.id ?? null)), { equal }),
    inForce: computed(
      () => (before && before.output !== null ? of(points()[before.output], before.act === 'on', before.proportional) : null),
      { equal },
    ),
  };
}
