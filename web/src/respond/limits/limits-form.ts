import { outputLimitsSchema, type OutputLimitsBody, type Point, type Relay } from '@dewpost/contract';
import { isTwoStates } from '@dewpost/core/alarm';
import { spentAt } from '@dewpost/core/control';
import { counted, formatNumber } from '@dewpost/core/quantity';
import * as z from 'zod';

type Limits = NonNullable<Relay['limits']>;

/** As it is typed: minutes where the limit stands in seconds. */
export const limitsForm = z.object({
  minutes: z.number().positive('more than nothing').max(1440, 'a day at most').nullable(),
  starts: outputLimitsSchema.shape.starts.unwrap(),
  litres: outputLimitsSchema.shape.litres.unwrap(),
  meter: z.number().nullable(),
  forbids: z
    .array(z.object({ point: z.number('choose a point'), side: z.enum(['high', 'low']), setpoint: z.number('a level') }))
    .max(4, 'four at most'),
});
type LimitsDraft = z.input<typeof limitsForm>;

export const draftOfLimits = (limits: Limits | null): LimitsDraft => ({
  minutes: limits?.seconds == null ? null : limits.seconds / 60,
  starts: limits?.starts ?? null,
  litres: limits?.litres ?? null,
  meter: limits?.meter ?? null,
  forbids: limits?.forbids ?? [],
});
export const limitsOfDraft = ({ minutes, starts, litres, meter, forbids }: z.output<typeof limitsForm>): OutputLimitsBody => ({
  ...{ seconds: minutes === null ? null : Math.round(minutes * 60), starts, litres, forbids },
  meter: litres === null ? null : meter,
});

const named = (point: Point | undefined, nameOf: (node: string) => string): string =>
  point ? `${point.label.toLowerCase()}, ${nameOf(point.node)}` : 'a point that is gone';

/** Limits in a few words, with what the day has used of them; empty: there are none. `now` and `midnight` in ms; `nameOf` gives a node its name. */
export function limitsWords(
  relay: Relay,
  now: number,
  midnight: number,
  points: Readonly<Partial<Record<number, Point>>>,
  nameOf: (node: string) => string,
): string {
  const { limits } = relay;
  if (!limits) return '';
  const spent = spentAt(relay.today, now, midnight);
  const words = [
    limits.seconds === null ? '' : `${formatNumber(spent.runMs / 60_000, 0)} of ${formatNumber(limits.seconds / 60, 0)} min`,
    limits.starts === null ? '' : `${spent.starts} of ${counted(limits.starts, 'start')}`,
    limits.litres === null ? '' : `at most ${formatNumber(limits.litres, 0)} l by ${named(points[limits.meter ?? 0], nameOf)}`,
  ].filter(Boolean);
  const forbids = limits.forbids.map(({ point: id, side, setpoint }) => {
    const point = points[id];
    const name = named(point, nameOf);
    if (point && isTwoStates(point.confirm, point)) return `never while ${side === 'high' ? '' : 'not '}${name}`;
    const level = `${formatNumber(setpoint, point?.decimals ?? 1)} ${point?.unit ?? ''}`.trim();
    return `never while ${name} is at or ${side === 'high' ? 'above' : 'below'} ${level}`;
  });
  return [words.length > 0 ? `Today ${words.join(', ')}` : '', ...forbids].filter(Boolean).join('; ');
}
