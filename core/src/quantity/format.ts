import { roundHalfAway } from './rounding';

/**
 * A number for people: fixed decimals, a true minus sign, thin spaces between thousands. Not finite → a dash.
 * @example formatNumber(-1180.25, 1) // '−1 180.3'
 */
export function formatNumber(value: number | null | undefined, decimals = 0): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return '–';
  // On the decimal text, halves away from zero: `(1.45).toFixed(1)` is 1.4.
  const [whole = '0', fraction] = Math.abs(roundHalfAway(value, decimals)).toFixed(decimals).split('.');
  const grouped = whole.replace(/\B(?=(\d{3})+(?!\d))/g, '\u2009');
  const zero = Number(whole) === 0 && Number(fraction ?? 0) === 0;
  return `${value < 0 && !zero ? '\u2212' : ''}${grouped}${fraction ? `.${fraction}` : ''}`;
}

/** A span of time in words short enough for a column: `4 s`, `11 min`, `3 h 51`, `2 d`. Negative counts as 0. */
export function formatDuration(ms: number): string {
  const seconds = Math.max(0, Math.round(ms / 1000));
  if (seconds < 90) return `${seconds} s`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 90) return `${minutes} min`;
  const hours = Math.floor(minutes / 60);
  if (hours < 48) return `${hours} h ${String(minutes % 60).padStart(2, '0')}`;
  return `${Math.round(hours / 24)} d`;
}

/** Steps for a scale from `low` to `high`: a major step that gives 4 to 8 figures, from 1, 2, 4 or 5 times a power of ten, and a minor one. */
export function scaleSteps(low: number, high: number): { major: number; minor: number; decimals: number } {
  const span = high - low;
  if (!(span > 0)) return { major: 1, minor: 1, decimals: 0 };
  const power = 10 ** Math.floor(Math.log10(span / 4));
  const factor = [1, 2, 5, 10].find((f) => span / (f * power) <= 8) ?? 10;
  const major = factor * power;
  return { major, minor: major / (factor === 2 ? 4 : 5), decimals: Math.max(0, -Math.floor(Math.log10(major) + 1e-9)) };
}

/** A span that somebody set, to the second and not rounded: `90 s` is `1 min 30 s`. Seconds, not negative. */
export function formatSpan(seconds: number): string {
  const [hours, minutes] = [Math.floor(seconds / 3600), Math.floor((seconds % 3600) / 60)];
  const rest = Math.round((seconds - hours * 3600 - minutes * 60) * 1000) / 1000;
  const parts = [hours > 0 ? `${hours} h` : '', minutes > 0 ? `${minutes} min` : '', rest > 0 ? `${rest} s` : ''];
  return parts.filter(Boolean).join(' ') || '0 s';
}
