import type { Calibration, PointRecord } from '@dewpost/contract';
import type { Layout, Shape } from 'plotly.js-basic-dist-min';
import { LIMIT_COLOUR, plain } from '../../parts/plot';

/** Share of the height that the lanes beneath a record take. */
export const LANES = 0.28;
const NAMES = ['alerts', 'outputs', 'calibration', 'notes'] as const;
type Lane = (typeof NAMES)[number];
/** Where a lane lies, as shares of the height. */
const floorOf = (lane: Lane): number => 0.02 + ((LANES - 0.02) * (NAMES.length - 1 - NAMES.indexOf(lane))) / NAMES.length;
const TALL = ((LANES - 0.02) / NAMES.length) * 0.72;

/** What stands in the lanes. */
export interface InLanes {
  readonly record: Pick<PointRecord, 'alerts' | 'from' | 'to' | 'happenings' | 'switched'>;
  readonly calibrations: readonly Pick<Calibration, 'from' | 'version' | 'withdrawnAt'>[];
  /** What outputs are called, by their numbers. */
  readonly outputs: ReadonlyMap<number, string>;
}
/** How they are drawn: a time as the axis has it, a colour by its name. */
export interface Drawn {
  readonly at: (ms: number) => string;
  readonly colour: (name: string) => string;
}

/** Alerts and what was switched as blocks from begin to end; calibrations, firmware and notes as posts. */
export function laneShapes(given: InLanes, { at, colour }: Drawn): Partial<Shape>[] {
  const { alerts, from, to, happenings, switched } = given.record;
  const block = (lane: Lane, begin: number, end: number, fill: string): Partial<Shape> => ({
    ...{ type: 'rect', xref: 'x', yref: 'paper', y0: floorOf(lane), y1: floorOf(lane) + TALL },
    ...{ x0: at(Math.max(from, begin)), x1: at(Math.min(to, end)), fillcolor: colour(fill), opacity: 0.55 },
    line: { width: 1, color: colour(fill) },
  });
  const post = (ms: number, top: number, dash: 'dash' | 'dot'): Partial<Shape> => ({
    ...{ type: 'line', xref: 'x', x0: at(ms), x1: at(ms), yref: 'paper', y0: 0.02, y1: top },
    line: { color: colour('--ink-2'), width: 1, dash },
  });
  const lines = NAMES.map((lane): Partial<Shape> => ({
    ...{ xref: 'paper', x0: 0, x1: 1, yref: 'paper', type: 'line', y0: floorOf(lane), y1: floorOf(lane) },
    line: { color: colour('--hair'), width: 1 },
  }));
  return [
    ...lines,
    ...alerts.map((alert) => block('alerts', alert.trippedAt, alert.clearedAt ?? to, LIMIT_COLOUR[alert.severity])),
    ...switched.map((one) => block('outputs', one.from, one.to ?? to, '--spruce')),
    ...calibrationsIn(given).map((one) => post(one.from, 1, 'dash')),
    ...happenings.map((one) => post(one.at, floorOf('notes') + TALL, one.kind === 'firmware' ? 'dash' : 'dot')),
  ];
}

/** What the lanes are called, and the words at posts. */
export function laneWords(given: InLanes, { at, colour }: Drawn): NonNullable<Layout['annotations']> {
  const { alerts, happenings, switched } = given.record;
  const font = { size: 11, color: colour('--ink-2') };
  const taken: Record<Lane, boolean> = {
    alerts: alerts.length > 0,
    outputs: switched.length > 0,
    calibration: calibrationsIn(given).length > 0,
    notes: happenings.length > 0,
  };
  const named = [...new Set(switched.map(({ output }) => given.outputs.get(output) ?? ''))].filter(Boolean).join(', ');
  const names = NAMES.map((lane) => ({
    ...({ xref: 'paper', x: 0, xanchor: 'left', yref: 'paper', y: floorOf(lane), yanchor: 'bottom', showarrow: false, font } as const),
    text: lane === 'outputs' && named !== '' ? `on: ${plain(named)}` : lane,
    opacity: taken[lane] && lane !== 'outputs' ? 0.4 : 1,
  }));
  const word = (lane: Lane, ms: number, text: string) => ({
    ...({ xref: 'x', x: at(ms), xanchor: 'left', yref: 'paper', y: floorOf(lane), yanchor: 'bottom', showarrow: false, font } as const),
    text: ` ${text}`,
  });
  return [
    ...names,
    ...calibrationsIn(given).map(({ from, version }) => word('calibration', from, `version ${version}`)),
    ...happenings.map(({ at: ms, kind, text }) => word('notes', ms, plain(kind === 'firmware' ? `firmware ${text}` : shortened(text)))),
  ];
}

/** The words at a post are few: all of them stand beside the chart. */
const shortened = (text: string): string => (text.length > 28 ? `${text.slice(0, 26)}…` : text);

const calibrationsIn = ({ record: { from, to }, calibrations }: InLanes): readonly Pick<Calibration, 'from' | 'version'>[] =>
  calibrations.filter((one) => one.withdrawnAt === null && one.from > from && one.from < to);
