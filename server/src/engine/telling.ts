import type { Alert, RoutePlan } from '@dewpost/contract';
import { dueTellings, type Route } from '@dewpost/core/alarm';
import type { QuietHours } from '@dewpost/core/time';
import type { Registry } from '../model/registry';
import type { EngineState } from './draft';
import type { Effect } from './effects';
import { NOBODY_TOLD } from './told';

/** Who is told of what, as it holds now. */
export interface Routes {
  plan(): RoutePlan;
  quiet(): QuietHours;
}

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
    if (alert.acknowledgedAt !== null || alert.shelvedUntil !== null || alert.journal || alert.earlier) return [];
    const { at: told, shiftMs, hurried } = state.told.get(alert.id) ?? NOBODY_TOLD;
    const due = dueTellings(routeOf(plan, registry, alert), { trippedAt: alert.trippedAt + shiftMs, now, told, hurried }, quiet);
    return due.map((telling) => ({ kind: 'tell', key, alert, telling }));
  });
}
