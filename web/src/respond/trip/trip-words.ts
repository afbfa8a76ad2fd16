import type { Point, Provable, Threshold, TripTest } from '@dewpost/contract';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import type { Leg } from '@dewpost/core/proof';

/** What each leg is called, and from what to what it is timed. */
export const LEG_WORDS: Readonly<Record<Leg, readonly [name: string, spans: string]>> = {
  sensor: ['Sensor', 'reading taken to received'],
  rule: ['Rule', 'received to tripped'],
  message: ['Message', 'tripped to the first who gets it'],
  output: ['Output', 'command to read back'],
  'put back': ['Put back', 'told off to read back off'],
};

const figure = (value: number, point: Point): string => `${formatNumber(value, point.decimals)} ${point.unit}`.trim();

/** What will be done to make a rule trip. */
export function forcedWords(rule: Threshold, point: Point, { how, setpoint, value }: Provable): string {
  if (how === 'by hand') return `Move ${lower(point.label)} by hand and hold it: the test waits three minutes for that.`;
  if (setpoint === null || value === null) return '';
  const side = rule.side === 'high' ? 'under' : 'over';
  return `Setpoint ${figure(rule.setpoint, point)} to ${figure(setpoint, point)}, ${side} the ${figure(value, point)} now.`;
}

/** When a rule was proved, and when it is due again. */
export function proofWords({ last, passedAt, dueAt }: Provable, now: number): { text: string; due: boolean } {
  const failed = last?.passed === false ? `last failed, ${ago(last.endedAt, now)}` : null;
  if (passedAt === null || dueAt === null) return { text: failed ?? 'never proved', due: true };
  const proved = `proved ${ago(passedAt, now)}`;
  if (failed !== null && (last?.endedAt ?? 0) > passedAt) return { text: `${failed}; ${proved}`, due: true };
  return dueAt <= now
    ? { text: `${proved}, ${formatDuration(now - dueAt)} over`, due: true }
    : { text: `${proved}, due in ${formatDuration(dueAt - now)}`, due: false };
}

const ago = (at: number | null, now: number): string => (at === null ? '' : `${formatDuration(Math.max(0, now - at))} ago`);
const lower = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);

/** What a test is doing, or what came of it. */
export function phaseWords(test: TripTest, now: number): string {
  const left = formatDuration(Math.max(0, test.until - now));
  switch (test.phase) {
    case 'waiting':
      return test.how === 'by hand' ? `Move it now; ${left} left` : `Waits for the next reading, ${left} at most`;
    case 'tripped':
      return `Tripped; what follows is timed, ${left} at most`;
    case 'putting back':
      return `Puts everything back: ${test.endedWhy ?? ''}`;
    case 'over':
      return test.passed ? 'Passed' : `Not passed: ${test.endedWhy ?? ''}`;
  }
}

/** Seconds with the figures that fit them. */
export const seconds = (ms: number | null): string => (ms === null ? '–' : formatNumber(ms / 1000, ms < 100 ? 3 : ms < 9995 ? 2 : 1));
