import type { Severity } from '@dewpost/contract';
import { formatNumber, scaleSteps } from '@dewpost/core/quantity';

/** What a staff draws besides its value: where a threshold of the point stands. */
export interface StaffLimit {
  side: 'high' | 'low';
  setpoint: number;
  clearLevel: number;
  severity: Severity;
}

export interface StaffGeometry {
  zones: { x: number; y: number; width: number; height: number; step: number; edge: string }[];
  deadbands: { x: number; y: number; width: number; height: number; step: number }[];
  minor: string;
  major: string;
  figures: { x: number; anchor: 'start' | 'middle' | 'end'; text: string }[];
  bar: { x: number; width: number } | null;
  /** Where a value lies, clamped to the range. */
  x(value: number): number;
}

const STEP: Record<Severity, { rank: number; height: number }> = {
  advisory: { rank: 1, height: 6 },
  warning: { rank: 2, height: 11.5 },
  critical: { rank: 3, height: 17 },
};
export const BASELINE = 27;
export const RAIL = 6;

/**
 * Geometry of a reading strip's staff over `min`…`max`: severity zones as rising steps outwards from the lowest, deadbands
 * on their clearing side, ticks with figures, the bar of the day's extremes.
 */
export function staffGeometry(options: {
  width: number;
  min: number;
  max: number;
  limits: readonly StaffLimit[];
  low: number | null;
  high: number | null;
  pad?: number;
}): StaffGeometry {
  const { width, min, max, limits, low, high, pad = 14 } = options;
  const x = (value: number): number =>
    Math.round((pad + ((Math.max(min, Math.min(max, value)) - min) / (max - min)) * (width - 2 * pad)) * 100) / 100;
  const zones: StaffGeometry['zones'] = [];
  const deadbands: StaffGeometry['deadbands'] = [];
  for (const side of ['high', 'low'] as const) {
    const rising = limits
      .filter((limit) => limit.side === side)
      .sort((a, b) => (side === 'high' ? a.setpoint - b.setpoint : b.setpoint - a.setpoint));
    rising.forEach((limit, i) => {
      const { rank, height } = STEP[limit.severity];
      const from = x(limit.setpoint);
      const to = x(rising[i + 1]?.setpoint ?? (side === 'high' ? max : min));
      zones.push({
        x: Math.min(from, to),
        y: BASELINE - height,
        width: Math.abs(to - from),
        height,
        step: rank,
        edge: `M${from} ${BASELINE}V${BASELINE - height}H${to}`,
      });
      const clear = x(limit.clearLevel);
      const first = STEP.advisory.height;
      deadbands.push({ x: Math.min(from, clear), y: BASELINE - first, width: Math.abs(from - clear), height: first, step: rank });
    });
  }
  const { major, minor, decimals } = scaleSteps(min, max);
  let majors = '';
  let minors = '';
  const figures: StaffGeometry['figures'] = [];
  const count = Math.floor((max - min) / minor + 1e-6);
  const start = Math.ceil(min / minor - 1e-9);
  for (let i = 0; i <= count; i++) {
    const value = (start + i) * minor;
    if (value > max + 1e-9) break;
    const at = x(value);
    const isMajor = Math.abs(value / major - Math.round(value / major)) < 1e-6;
    if (!isMajor) {
      minors += `M${at} ${BASELINE}v4.2`;
      continue;
    }
    majors += `M${at} ${BASELINE}v7.5`;
    const text = formatNumber(value, decimals);
    const long = text.length > 3;
    const anchor = long && at <= pad + 1 ? 'start' : long && at >= width - pad - 1 ? 'end' : 'middle';
    figures.push({ x: anchor === 'start' ? at - 8 : anchor === 'end' ? at + 8 : at, anchor, text });
  }
  const bar = low === null || high === null ? null : { x: x(low), width: Math.max(2, x(high) - x(low)) };
  return { zones, deadbands, minor: minors, major: majors, figures, bar, x };
}
