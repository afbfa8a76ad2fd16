import type { Alert, RoutePlan } from '@dewpost/contract';
import { dueTellings, floodAt, isSumDue, NO_FLOOD, toldBy, type Flood, type Route } from '@dewpost/core/alarm';
import type { QuietHours } from '@dewpost/core/time';
import type { Registry } from '../model/registry';
import type { EngineState } from './draft';
import type { Effect } from './effects';
import { NOBODY_TOLD, type Told } from './told';

/** Who is told of what, as it holds now. */
export interface Routes {
  plan(): RoutePlan;
  quiet(): QuietHours;
}

/** How crowded alerts are after a start, by what is open: what was held back then still goes as one message. Times in ms. */
export function floodOfOpen(alerts: ReadonlyMap<string, Alert>, now: number): Flood {
  const openings = [...alerts]
    .filter(([, { journal, earlier, shelvedUntil }]) => !journal && !earlier && shelvedUntil === null)
    .map(([key, { title, node, trippedAt }]) => ({ key, at: trippedAt, title: `${title} (${node})` }))
    .sort((a, b) => a.at - b.at);
  return floodAt(NO_FLOOD, now, openings);
}

/** The route of an alert: its rule's own ways, at once and once, or that of its severity. */
export function routeOf(plan: RoutePlan, registry: Registry, { threshold, severity }: Pick<Alert, 'threshold' | 'severity'>): Route {
  const own = threshold === null ? null : (registry.thresholds.get(threshold)?.rule.route ?? null);
  const route = plan.routes[severity];
  return own === null ? route : { ...route, quiet: 'tell', courses: [{ afterMinutes: 0, to: ['handset', ...own], everyMinutes: null }] };
}

/** Whom to tell now of what is open and nobody has acknowledged. What happened earlier went as a summary, and wakes nobody. */
export function tellWhoIsDue(
  registry: Registry,
  state: Pick<EngineState, 'alerts' | 'told' | 'flood'>,
  routes: Routes,
  now: number,
): Effect[] {
  const [plan, quiet] = [routes.plan(), routes.quiet()];
  const flood = plan.flood === 'sum' ? floodAt(state.flood, now) : null;
  return [...state.alerts].flatMap(([key, alert]): Effect[] => {
    if (alert.acknowledgedAt !== null || alert.shelvedUntil !== null || alert.journal || alert.earlier) return [];
    const { at: told, shiftMs, hurried } = state.told.get(alert.id) ?? NOBODY_TOLD;
    const due = dueTellings(routeOf(plan, registry, alert), { trippedAt: alert.trippedAt + shiftMs, now, told, hurried }, quiet);
    const joined = flood !== null && toldBy(flood, alert.severity, key) === 'sum';
    // What is held back stays due until its message goes.
    if (joined && !isSumDue(flood, now)) return [];
    return due.map((telling) => ({ kind: 'tell', key, alert, telling, joined }));
  });
}

/**
 * What is known of who was told of an alert, where its next course is to be told at `now` (ms), since a message of the course before did not
 * arrive; `null`: nobody comes next, or somebody has seen to it.
 */
export function hurriedOn(
  alert: Alert,
  state: EngineState,
  { registry, routes }: { registry: Registry; routes: Routes },
  now: number,
): Told | null {
  if (alert.acknowledgedAt !== null || alert.shelvedUntil !== null) return null;
  const told = state.told.get(alert.id) ?? NOBODY_TOLD;
  const next = Math.max(-1, ...told.at.keys()) + 1;
  const isLast = next >= routeOf(routes.plan(), registry, alert).courses.length;
  return isLast || (told.hurried?.course ?? -1) >= next ? null : { ...told, hurried: { course: next, at: now } };
}
