import { formatNumber } from '@dewpost/core/quantity';
import type { SheetPoint } from '@dewpost/contract';
import type { PointEntry } from '../model/entries';

/** Why a calibration of one point cannot be that of another, in words; `null`: it can. */
export function copyFault(from: PointEntry, to: PointEntry | undefined): string | null {
  if (!to) return 'it has no such point';
  if (to === from) return 'it is the one that it would be copied from';
  if (to.node.sheet !== from.node.sheet || from.node.kind !== 'node') return `it is built by another sheet, ${to.node.sheet}`;
  if (to.body.unit !== from.body.unit || to.body.raw?.unit !== from.body.raw?.unit) return 'it is told in another unit';
  if (to.calibrations.some(({ inherited }) => !inherited)) return 'it has a calibration of its own: that is kept';
  return null;
}

/** So many standard uncertainties two values of one thing may lie apart: 99.7 of 100 do (normal distribution). */
const SIGMAS = 3;

/** Why an inherited calibration is not confirmed by this, with the figures; `null`: it is. `uncertainty` is that of both together. */
export function confirmFault({ label, unit, decimals }: SheetPoint, value: number, shows: number, uncertainty: number): string | null {
  const allowed = Math.max(SIGMAS * uncertainty, 2 * 10 ** -decimals);
  const apart = Math.abs(value - shows);
  if (apart <= allowed) return null;
  const figure = (of: number): string => `${formatNumber(of, decimals + 1)} ${unit}`.trim();
  return `${label} reads ${figure(value)}, by hand ${figure(shows)}: ${figure(apart)} apart, and ${figure(allowed)} may be. Calibrate it by itself.`;
}
