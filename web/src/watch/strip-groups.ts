import type { Point, Threshold } from '@dewpost/contract';
import { limitsOf } from '@dewpost/core/alarm';
import type { StaffLimit } from '../parts/staff';
import type { TraceBand, TraceSeries } from '../parts/trace-shapes';

/** Thresholds as a staff draws them: a band has two ends, what is no value has none. */
export const staffLimits = (
  rules: readonly (Pick<Threshold, 'side' | 'setpoint' | 'clearLevel' | 'severity'> & Partial<Pick<Threshold, 'judges'>>)[],
): StaffLimit[] =>
  rules.flatMap((rule) => limitsOf(rule)).map(({ side, setpoint, clearLevel, severity }) => ({ side, setpoint, clearLevel, severity }));

/** The series of a trace: all measured and derived points, humidity scales above temperatures. */
export function seriesOf(
  points: readonly (Pick<Point, 'id' | 'label' | 'kind' | 'unit'> & { node?: string })[],
  many: boolean,
): TraceSeries[] {
  return points
    .filter((point) => point.kind !== 'switched')
    .sort((a, b) => Number(b.unit === '%') - Number(a.unit === '%'))
    .map((point) => ({
      id: point.id,
      unit: point.unit,
      label: many && point.node ? `${point.node} ${point.label.toLowerCase()}` : point.label,
    }));
}

/** The bands of a trace: the thresholds of its points, where one point a unit makes it clear whose they are. */
export function bandsOf(
  points: readonly Pick<Point, 'id' | 'unit'>[],
  thresholds: readonly (Pick<Threshold, 'point' | 'side' | 'setpoint' | 'clearLevel' | 'severity'> & Partial<Pick<Threshold, 'judges'>>)[],
): TraceBand[] {
  const units = new Map(points.map((point) => [point.id, point.unit]));
  return thresholds
    .flatMap((rule) => limitsOf(rule))
    .flatMap(({ point, side, setpoint, severity }) => {
      const unit = units.get(point);
      return unit === undefined ? [] : [{ unit, side, setpoint, severity }];
    });
}
