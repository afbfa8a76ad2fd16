import { isPlain } from '@dewpost/core/alarm';
import { limitsNothing } from '@dewpost/core/control';
import type { OwnThreshold } from '@dewpost/core/wire';
import type { NodeEntry, PointEntry, ThresholdEntry } from './entries';

/** Thresholds of a node whose output is its own and which it can judge by itself, armed or not. */
export function ownThresholdsOf(
  registry: {
    readonly thresholdsByPoint: ReadonlyMap<number, readonly ThresholdEntry[]>;
    readonly points: ReadonlyMap<number, PointEntry>;
  },
  node: NodeEntry,
): OwnThreshold[] {
  return [...node.points.values()].flatMap((point) =>
    (registry.thresholdsByPoint.get(point.id) ?? []).flatMap(({ id, rule }): OwnThreshold[] => {
      const output = rule.output === null ? undefined : registry.points.get(rule.output);
      // What is derived is computed here, and not known to the node.
      // A node compares what it reads itself: where the house converts that, the two would differ.
      if (
        output?.node !== node ||
        point.body.kind !== 'measured' ||
        point.calibrations.length > 0 ||
        point.body.raw !== null ||
        point.heldUntil !== null ||
        output.lock !== null ||
        // It knows no hours of the day.
        (output.timetable?.hours ?? null) !== null ||
        // Nor what another output does.
        output.winners.length > 0 ||
        output.losers.length > 0 ||
        // Nor the day, nor what forbids it.
        (output.limits !== null && !limitsNothing(output.limits))
      )
        return [];
      // It may only switch on, and only by control: off at a trip is the house's to say.
      if (rule.act === 'off' || !rule.consequences.includes('control')) return [];
      // It knows no hours of the day, and nothing of other rules.
      if (rule.hours || rule.unless || !isPlain(rule) || rule.proportional || (rule.then ?? []).length > 0) return [];
      const { side, setpoint, clearLevel, onDelaySeconds, offDelaySeconds, confirm } = rule;
      const measures: OwnThreshold['measures'] = [point.body.physicalMin, point.body.physicalMax];
      return [
        { id, point: point.name, output: output.name, side, setpoint, clearLevel, onDelaySeconds, offDelaySeconds, confirm, measures },
      ];
    }),
  );
}
