import type { Point, Provable, Threshold, TripTest } from '@dewpost/contract';
import { counted, formatDuration, formatNumber, formatSpan } from '@dewpost/core/quantity';
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

/** What will be done to make a rule trip. `also`: the point of its second condition. */
export function forcedWords(rule: Threshold, point: Point, provable: Provable, also: Point | null = null): string {
  const { alsoSetpoint } = provable;
  const own = ownForcedWords(rule, point, provable);
  return alsoSetpoint === null || also === null
    ? own
    : `${own} Its second condition is judged by ${figure(alsoSetpoint, also)} for the test, so that it is met.`.trim();
}

function ownForcedWords(rule: Threshold, point: Point, { how, setpoint, value, low }: Provable): string {
  const { judges } = rule;
  if (how === 'by hand')
    return judges.kind === 'count'
      ? `Move ${lower(point.label)} by hand once: for the test that is often enough, and it is not counted afterwards.`
      : `Move ${lower(point.label)} by hand and hold it: the test waits three minutes for that.`;
  if (setpoint === null || value === null) return '';
  if (judges.kind === 'silence') return `For the test ${formatSpan(setpoint)} without a reading are too long: nothing has to be done.`;
  if (judges.kind === 'count')
    return `For the test ${counted(setpoint, 'time')} instead of ${rule.setpoint} is often enough: as often as it has come.`;
  if (judges.kind === 'band' && low !== null)
    return `Lower end ${figure(judges.low, point)} to ${figure(low, point)}, over the ${figure(value, point)} now.`;
  if (setpoint === rule.setpoint) return 'Its own condition is met already.';
  const side = rule.side === 'high' ? 'under' : 'over';
  const now = judges.kind === 'value' || judges.kind === 'band' ? 'now' : 'that it comes to now';
  return `Setpoint ${figure(rule.setpoint, point)} to ${figure(setpoint, point)}, ${side} the ${figure(value, point)} ${now}.`;
}

/** How a test forced its rule, for a sheet of paper. */
export function howForced({ how, setpoint, value, low, alsoSetpoint }: TripTest): string {
  if (how === 'by hand') return 'forced by hand';
  const end = low === null ? `its setpoint moved to ${setpoint}` : `the lower end of its band moved to ${low}`;
  return `${end}, where it came to ${value}${alsoSetpoint === null ? '' : `; its second condition moved to ${alsoSetpoint}`}`;
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
