import type { AlertLoad, AlertOrigin } from '@dewpost/contract';
import { GUIDANCE } from '@dewpost/core/alarm';
import { counted, formatNumber } from '@dewpost/core/quantity';

/** One figure with what is published of it. */
export interface CountedFigure {
  readonly what: string;
  readonly figure: string;
  readonly beside: string;
  readonly over: boolean;
}

const percent = (share: number): string => `${formatNumber(100 * share, share > 0 && share < 0.1 ? 1 : 0)} %`;

/** The figures of a time against what is published for one person at a console. */
export function figuresOf(load: AlertLoad): CountedFigure[] {
  const { perDay, peak, floodShare, stale, fleeting, chattering } = load;
  const figure = (what: string, value: string, beside: string, over: boolean): CountedFigure => ({ what, figure: value, beside, over });
  return [
    figure('a day', formatNumber(perDay, perDay < 10 ? 1 : 0), `${GUIDANCE.perDay} can be lived with`, perDay > GUIDANCE.perDay),
    figure('most in 10 min', String(peak), `${GUIDANCE.peak} at most`, peak > GUIDANCE.peak),
    figure('of the time a flood', percent(floodShare), `under ${percent(GUIDANCE.floodShare)}`, floodShare >= GUIDANCE.floodShare),
    figure('stand over a day', String(stale), `under ${GUIDANCE.stale}`, stale >= GUIDANCE.stale),
    figure('fleeting', String(fleeting), 'none', fleeting > GUIDANCE.fleeting),
    figure('chattering', String(chattering), 'none', chattering > GUIDANCE.chattering),
  ];
}

/** How the severities share, beside what is published: few grave ones among many light ones. */
export function severityWords({ bySeverity, count }: AlertLoad): string {
  if (count === 0) return '';
  const share = (part: number): string => `${formatNumber((100 * part) / count, 0)} %`;
  return `${share(bySeverity.advisory)} advisory, ${share(bySeverity.warning)} warning, ${share(bySeverity.critical)} critical; published: about 80, 15 and 5.`;
}

const BUILT_IN: Readonly<Record<Exclude<AlertOrigin['kind'], 'threshold'>, string>> = {
  silent: 'Look at its supply and at its signal where it hangs.',
  'sensor-lost': 'Look at its sensor and the wires to it.',
  'output-stuck': 'Its contact hangs: take the load’s supply away first.',
  'battery-low': 'Change its cells.',
  'no-read-back': 'Look at its read-back contact and its link.',
  'on-backup': 'Look at the fuse and the supply of its mains.',
  'access-point': 'Look at the access point: its place, its supply, its channel.',
  'guard-ended': 'Look whether it works as it should, and whether its limit fits.',
  'no-effect': 'What it switches does not move what it should: look at the machine.',
};

/** The one thing that would help an origin that speaks often. `now` in ms. */
export function mendWords({ kind, fleeting, chattering, standsSince, count }: AlertOrigin, now: number): string {
  if (kind !== 'threshold') return BUILT_IN[kind];
  const stands = standsSince === null ? 0 : now - standsSince;
  if (chattering > 0) return `A wider deadband: ${chattering} of ${counted(count, 'alert')} came three or more within a minute.`;
  if (fleeting > 0) return `A longer on-delay: ${fleeting} of ${counted(count, 'alert')} were over within a minute.`;
  if (stands > 86_400_000) return 'It has stood for more than a day: mend what it says, or set a limit that means something.';
  return 'See on its record where its setpoint would have tripped less.';
}
