import type { Alert, RoutePlan } from '@dewpost/contract';
import { dueTellings, type Hurried, type Route, type Target, type Telling } from '@dewpost/core/alarm';
import type { QuietHours } from '@dewpost/core/time';
import type { Registry } from '../model/registry';
import type { EngineState } from './draft';
import type { Effect } from './effects';

/** Who is told of what, as it holds now. */
export interface Routes {
  plan(): RoutePlan;
  quiet(): QuietHours;
}

/** What was told of an open alert. */
export interface Told {
  /** How often each course was, by its number. */
  readonly times: ReadonlyMap<number, number>;
  /** Everybody who was told. */
  readonly to: ReadonlySet<Target>;
  /** Nobody was reached up to a course: known to the running server. */
  readonly hurried: Hurried | null;
}
export const NOBODY_TOLD: Told = { times: new Map(), to: new Set(), hurried: null };

/** The same, once another telling has gone. */
export const toldWith = (
  { times, to, hurried }: Told,
  { course, repetition, to: targets }: Pick<Telling, 'course' | 'repetition' | 'to'>,
): Told => ({
  times: new Map(times).set(course, Math.max(times.get(course) ?? 0, repetition + 1)),
  to: new Set([...to, ...targets]),
  hurried,
});

/** The route of an alert: its rule's own ways, at once and once, or that of its severity. */
export function routeOf(plan: RoutePlan, registry: Registry, { threshold, severity }: Pick<Alert, 'threshold' | 'severity'>): Route {
  const own = threshold === null ? null : (registry.thresholds.get(threshold)?.rule.route ?? null);
  const route = plan.routes[severity];
  return own === null ? route : { ...route, quiet: 'tell', courses: [{ afterMinutes: 0, to: ['handset', ...own], everyMinutes: null }] };
}

/** Whom to tell now of what is open and nobody has acknowledged. What happened earlier went as a summary, and wakes nobody. */
export function tellWhoIsDue(registry: Registry, state: Pick<EngineState, 'alerts' | 'told'>, routes: Routes, now: number): Effect[] {
  const [plan, quiet] = [routes.plan(), routes.quiet()];
  return [...state.alerts].flatMap(([key, alert]): Effect[] => {
    if (alert.acknowledgedAt !== null || alert.journal || alert.earlier) return [];
    const { times: told, hurried } = state.told.get(alert.id) ?? NOBODY_TOLD;
    const due = dueTellings(routeOf(plan, registry, alert), { trippedAt: alert.trippedAt, now, told, hurried }, quiet);
    return due.map((telling) => ({ kind: 'tell', key, alert, telling }));
  });
}
