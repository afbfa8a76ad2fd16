import { formatNumber } from '@dewpost/core/quantity';

const DAYS_PER_MONTH = 30.44;

/** How long something lasts, in the words that fit: hours, days, months, years. */
export const lifetime = (days: number): string => {
  if (days < 2) return `${formatNumber(days * 24)} hours`;
  if (days < 90) return `${formatNumber(days, days < 10 ? 1 : 0)} days`;
  return days < 2 * 365 ? `${formatNumber(days / DAYS_PER_MONTH)} months` : `${formatNumber(days / 365.25, 1)} years`;
};
