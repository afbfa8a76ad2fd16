import { fillWords, isPlain, isTwoStates } from '@dewpost/core/alarm';
import { formatNumber } from '@dewpost/core/quantity';
import { wakeWord } from '@dewpost/core/wire';
import { DateTime } from 'luxon';
import type { PointEntry, ThresholdEntry } from '../model/entries';
import type { Registry } from '../model/registry';
import type { Newest } from './draft';
import { valueWords } from './rule-words';

/** Letters of words with all filled in: what is added to them on the way still fits into a message. */
const MOST_LETTERS = 800;

/** What words are filled in from: the house, and the newest reading of each of its points. */
export interface WordSources {
  readonly registry: Registry;
  readonly newest: (point: number) => Newest | undefined;
}

/** A value with its unit, as a point shows it; of one that knows two states, which it is. */
export function shown({ body }: PointEntry, value: number): string {
  if (isTwoStates(body.confirm, body)) return `${value >= 0.5 ? '' : 'not '}${body.label.toLowerCase()}`;
  return wakeWord(body.name, value) ?? `${formatNumber(value, body.decimals)} ${body.unit}`.trim();
}

/** What words fill in for a value; one that was made of readings brings its own unit. */
function valueAndUnit(threshold: ThresholdEntry, value: number): { value: string; unit: string } {
  const { body } = threshold.point;
  if (!isPlain({ judges: threshold.rule.judges })) return { value: valueWords(threshold, value), unit: '' };
  return { value: wakeWord(body.name, value) ?? formatNumber(value, body.decimals), unit: body.unit };
}

/**
 * Words that somebody has written for a rule, filled in as of a transition (`at` in ms). Another point whose node is silent, or whose last
 * reading was bad, has no value: a dash.
 */
export function inOwnWords(words: string, threshold: ThresholdEntry, at: number, value: number, { registry, newest }: WordSources): string {
  const { body, node } = threshold.point;
  const own = {
    ...valueAndUnit(threshold, value),
    point: body.label,
    node: node.title,
    room: node.room,
    since: DateTime.fromMillis(at, { zone: registry.timezone }).toFormat('HH:mm'),
    battery: node.hello?.batteryVolts === undefined ? '–' : `${node.hello.batteryVolts.toFixed(2)} V`,
    limit: valueWords(threshold, threshold.rule.setpoint),
  };
  const filled = fillWords(words, own, (other) => {
    const point = registry.nodes.get(other.node)?.points.get(other.point);
    const reading = point && !point.node.silent ? newest(point.id) : undefined;
    return point && reading && reading.quality !== 'bad' ? shown(point, reading.value) : null;
  });
  return filled.slice(0, MOST_LETTERS);
}
