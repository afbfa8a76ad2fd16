import type { Capture } from './capture';

/** An instrument that others are compared with, as far as a calibration hangs on it. */
export interface ReferenceInstrument {
  readonly name: string;
  readonly unit: string;
  /** What it shows, in its unit. */
  readonly low: number;
  readonly high: number;
  /** Standard uncertainty (k = 1) by its certificate, in its unit. */
  readonly uncertainty: number;
  /** When it is due to be looked at itself, ms; `null`: nobody has said so. */
  readonly dueAt: number | null;
}

/** Why these captures cannot have been made beside this instrument, in words; `null`: they can. `unit` is that of the calibrated value. */
export function instrumentFault(instrument: ReferenceInstrument, unit: string, captures: readonly Capture[]): string | null {
  const { name, low, high } = instrument;
  if (instrument.unit !== unit)
    return `${name} shows ${instrument.unit || 'no unit'}, and ${unit || 'no unit'} is wanted: choose another, or none`;
  const outside = captures.find(({ reference }) => reference < low || reference > high);
  return outside === undefined
    ? null
    : `${name} shows ${low} to ${high} ${unit}: ${outside.reference} ${unit} is outside of it, and was not read from it`;
}

/** Is it itself past the day it was due? What is compared with it then is worth what somebody still believes of it. */
export const isOverdue = ({ dueAt }: Pick<ReferenceInstrument, 'dueAt'>, now: number): boolean => dueAt !== null && dueAt < now;
