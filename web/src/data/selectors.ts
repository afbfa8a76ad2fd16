import type { Alert, Node, Severity } from '@dewpost/contract';
import { severityRank } from '@dewpost/core/alarm';
import { createSelector } from '@ngrx/store';
import { allAlerts, allNodes, allPoints, allThresholds, placeFeature } from './reducers';

/** The higher of two severities. */
export const worse = (a: Severity | null, b: Severity): Severity => (a !== null && severityRank(a) >= severityRank(b) ? a : b);

/** Does it wait for somebody: nobody has seen it, and it is not on a shelf? Ordinary switching never does. */
export const isWaiting = (alert: Alert): boolean =>
  alert.acknowledgedAt === null && alert.shelvedUntil === null && !alert.earlier && !alert.journal;

/** Alerts that stand, or that cleared before anybody saw them. */
export const selectWaiting = createSelector(allAlerts.selectAll, (alerts) => alerts.filter(isWaiting));
/** Alerts that stand, those on the shelf among them. */
const selectStanding = createSelector(allAlerts.selectAll, (alerts) =>
  alerts.filter((alert) => alert.clearedAt === null && !alert.journal),
);
/** Those that stand and are on no shelf: what is counted and announced. */
export const selectOpen = createSelector(selectStanding, (alerts) => alerts.filter((alert) => alert.shelvedUntil === null));

/** The highest open severity of each point. */
export const selectSeverityByPoint = createSelector(selectStanding, (alerts) => {
  const severities = new Map<number, Severity>();
  for (const alert of alerts)
    if (alert.point !== null) severities.set(alert.point, worse(severities.get(alert.point) ?? null, alert.severity));
  return severities;
});
export const selectSeverityByNode = createSelector(selectStanding, (alerts) => {
  const severities = new Map<string, Severity>();
  for (const alert of alerts) severities.set(alert.node, worse(severities.get(alert.node) ?? null, alert.severity));
  return severities;
});

export const selectThresholdsByPoint = createSelector(allThresholds.selectAll, (thresholds) =>
  Map.groupBy(thresholds, (threshold) => threshold.point),
);

/** What waits at each stage, for the stage line. */
export const selectCounts = createSelector(
  allNodes.selectAll,
  allPoints.selectAll,
  allThresholds.selectAll,
  selectOpen,
  (nodes, points, rules, open) => {
    const now = Date.now();
    const live = new Set(nodes.filter((node) => node.state === 'proved' && !node.silent).map((node) => node.id));
    return {
      provision: nodes.filter((node) => node.state !== 'proved').length,
      calibrate: points.filter(
        (point) =>
          (point.uncalibrated || point.inherited || (point.calibrationDue !== null && point.calibrationDue < now)) && live.has(point.node),
      ).length,
      watch: points.filter((point) => live.has(point.node)).length,
      respond: open.length,
      // A rule that was never proved waits under Respond; one that was, and is past its day, is a duty like any other.
      upkeep: nodes.filter((node) => node.silent).length + rules.filter(({ proofDueAt }) => proofDueAt !== null && proofDueAt < now).length,
    };
  },
);

/** Nodes with a board. A source has none: nothing to write, to draw on the site plan, to address or to hang up. */
export const selectBoardNodes = createSelector(allNodes.selectAll, (nodes) => nodes.filter(({ kind }) => kind === 'node'));

export const selectTimezone = createSelector(placeFeature.selectSite, (site) => site?.timezone ?? 'UTC');

/** Does what hangs on this point act: its node proved by its readings and in place, and the point not one that could not be proved there? */
export const actsAt = (node: Node | undefined, point: string): boolean =>
  node?.state === 'proved' && node.fittedAt !== null && !node.unproved.includes(point);
