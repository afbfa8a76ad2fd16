import { formatNumber } from '@dewpost/core/quantity';
import { DateTime } from 'luxon';

/** `2026-03` as people say it. */
export const monthWords = (month: string): string =>
  DateTime.fromISO(`${month}-01`, { zone: 'utc', locale: 'en-GB' }).toFormat('LLLL yyyy');

/** Bytes as a figure with its unit, decimal as disks are sold: `1.24 GB`. */
export function room(bytes: number): string {
  const [size, unit, decimals] = bytes >= 1e9 ? [bytes / 1e9, 'GB', 2] : bytes >= 1e6 ? [bytes / 1e6, 'MB', 1] : [bytes / 1e3, 'kB', 0];
  return `${formatNumber(size, decimals)} ${unit}`;
}
