import { isTwoStates } from '@dewpost/core/alarm';
import { counted, formatNumber, formatSpan } from '@dewpost/core/quantity';
import type { ThresholdEntry } from '../model/entries';

/** Every message of a drill says that it is one. */
export const drillTitle = (title: string): string => `Drill: ${title}`;

const isState = ({ point, rule }: ThresholdEntry): boolean => isTwoStates(rule.confirm, point.body);

const lowerFirst = (text: string): string => text.charAt(0).toLowerCase() + text.slice(1);

/** The point that a rule is held against: “outside temperature of weir-1”, “that of weir-1” where both are called alike. */
function otherName({ point, beside }: ThresholdEntry): string {
  if (!beside) return 'what is no longer there';
  const { label } = beside.body;
  return `${label === point.body.label ? 'that' : lowerFirst(label)} of ${beside.node.title}`;
}

/** What a rule is called where it has tripped: the point, and what is wrong with it. */
export function titleOf(threshold: ThresholdEntry): string {
  const { label } = threshold.point.body;
  const { side, onDelaySeconds, judges } = threshold.rule;
  switch (judges?.kind) {
    case 'band':
      return `${label} outside its band`;
    case 'rate':
      return `${label} ${side === 'high' ? 'rises' : 'falls'} fast`;
    case 'count':
      return `${label} too often`;
    case 'silence':
      return `${label} not read`;
    case 'usual':
      return `${label} ${side === 'high' ? 'above' : 'below'} what is usual`;
    case 'difference':
      return `${label} too far ${side === 'high' ? 'above' : 'below'} ${otherName(threshold)}`;
    default:
  }
  if (!isState(threshold)) return `${label} ${side === 'high' ? 'too high' : 'too low'}`;
  const held = onDelaySeconds > 0 ? ` for ${formatSpan(onDelaySeconds)}` : '';
  return side === 'high' ? `${label}${held}` : `Not ${lowerFirst(label)}${held}`;
}

/** A value that a rule was judged by, with its unit: what was read, or what was made of it. */
export function valueWords({ point: { body }, rule: { judges } }: ThresholdEntry, value: number): string {
  switch (judges?.kind) {
    case 'count':
      return counted(value, 'time');
    case 'silence':
      return formatSpan(value);
    case 'rate':
    case 'usual':
    case 'difference':
      return `${value > 0 ? '+' : ''}${formatNumber(value, body.decimals)} ${body.unit}`.trim();
    default:
      return `${formatNumber(value, body.decimals)} ${body.unit}`.trim();
  }
}

/** The condition of a rule in words: “At or above 30.0 °C”. */
function limitWords(threshold: ThresholdEntry): string {
  const { side, setpoint, judges } = threshold.rule;
  const beyond = `${side === 'high' ? 'At or above' : 'At or below'} ${valueWords(threshold, setpoint)}`;
  switch (judges?.kind) {
    case 'band':
      return `Outside ${valueWords(threshold, judges.low)} to ${valueWords(threshold, setpoint)}`;
    case 'rate':
      return `${beyond} within ${formatSpan(judges.overSeconds)}`;
    case 'count':
      return `${valueWords(threshold, setpoint)} or more within ${formatSpan(judges.withinSeconds)}`;
    case 'silence':
      return `No good reading for ${valueWords(threshold, setpoint)}`;
    case 'usual':
      return `${beyond} beside what is usual at this hour of the week`;
    case 'difference':
      return `${beyond} against ${otherName(threshold)}`;
    default:
      return beyond;
  }
}

/** Its second condition in words: “, and window is open”; empty: it has none. */
function alsoWords({ rule: { also }, also: other }: ThresholdEntry): string {
  if (!also) return '';
  if (!other) return `, ${also.join} what is no longer there`;
  const { body } = other;
  const name = `${lowerFirst(body.label)} of ${other.node.title}`;
  if (isTwoStates(body.confirm, body)) return `, ${also.join} ${also.side === 'high' ? '' : 'not '}${name}`;
  const limit = `${formatNumber(also.setpoint, body.decimals)} ${body.unit}`.trim();
  return `, ${also.join} ${name} ${also.side === 'high' ? 'at or above' : 'at or below'} ${limit}`;
}

/** What an alert of this rule says at such a value, in words. */
export function textOf(threshold: ThresholdEntry, value: number): string {
  const { node } = threshold.point;
  const { onDelaySeconds, judges } = threshold.rule;
  const where = `in ${node.room} (${node.title})`;
  if (isState(threshold) && (judges === undefined || judges.kind === 'value'))
    return `${titleOf(threshold)}${alsoWords(threshold)}, ${where}.`;
  if (judges?.kind === 'silence') return `${limitWords(threshold)}${alsoWords(threshold)}, ${where}.`;
  const held = onDelaySeconds > 0 ? ` for ${formatSpan(onDelaySeconds)}` : '';
  return `${limitWords(threshold)}${alsoWords(threshold)}${held}: ${valueWords(threshold, value)} ${where}.`;
}
