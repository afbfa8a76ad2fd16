import type { Point } from '@dewpost/contract';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { startingValues, type StartingValues } from '@dewpost/core/alarm';
import type { RehearsalAnswer } from './rehearsal-jobs';

/** A figure that a record suggests, and where it would stand. */
export interface Suggestion {
  readonly field: 'setpoint' | 'deadband' | 'onDelaySeconds';
  readonly value: number;
}

/** What a record suggests, in words with their arithmetic; `drawn`: there is a rule already. */
export function suggestionsIn(
  { suggestions }: Pick<RehearsalAnswer, 'suggestions'>,
  point: Point,
  side: 'high' | 'low',
  drawn: boolean,
): { value: Suggestion; label: string; why: string }[] {
  const { setpoint, deadband, onDelay } = suggestions;
  const begun = startingValues(point);
  const holds = point.confirm === 'hold';
  const high = side === 'high';
  const figure = (value: number, decimals = point.decimals): string => `${formatNumber(value, decimals)} ${point.unit}`.trim();
  return [
    ...(setpoint === null || holds || drawn
      ? []
      : [
          {
            value: { field: 'setpoint' as const, value: setpoint },
            label: `setpoint ${figure(setpoint)}`,
            why: `99 of 100 good readings were ${high ? 'below' : 'above'} it.`,
          },
        ]),
    ...(deadband === null || holds
      ? []
      : [
          {
            value: { field: 'deadband' as const, value: deadband.value },
            label: `deadband ${figure(deadband.value)}`,
            why: `It jitters by ${figure(deadband.noise, point.decimals + 1)} from reading to reading: four times that, two steps at least.${published(begun && figure(begun.deadbandShare * (point.max - point.min)), begun)}`,
          },
        ]),
    ...(onDelay === null
      ? []
      : [
          {
            value: { field: 'onDelaySeconds' as const, value: onDelay.ms / 1000 },
            label: `on-delay ${formatDuration(onDelay.ms)}`,
            why: `Without delays it would have tripped ${onDelay.before.trips} times, ${onDelay.before.fleeting} of them for less than a minute; with it, ${onDelay.after.trips}.${published(begun && formatDuration(begun.delaySeconds * 1000), begun)}`,
          },
        ]),
  ];
}

/** What is published as a beginning for a quantity, beside what the record says. */
const published = (value: string | null, begun: StartingValues | null): string =>
  value === null || begun === null ? '' : ` EEMUA 191 and ISA-18.2 begin a ${begun.of} with ${value}.`;
