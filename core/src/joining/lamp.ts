import * as z from 'zod';

export const LAMP_STATES = ['writing', 'searching', 'set-up', 'joined', 'stopped', 'found'] as const;
export type LampState = (typeof LAMP_STATES)[number];

/** Light, dark, light, dark… ms, repeated; one light span alone: steady. By state; those left out follow the usual legend. */
export const lampSpansSchema = z.partialRecord(z.enum(LAMP_STATES), z.array(z.number().int().min(20).max(60_000)).min(1).max(12));
export type LampSpans = z.infer<typeof lampSpansSchema>;

/** What a lamp shows in one state. */
export interface LampPattern {
  readonly state: LampState;
  /** The pattern in words, such as "3 short blinks, then a pause". */
  readonly name: string;
  readonly meaning: string;
  readonly spans: readonly number[];
}

const MEANING: Readonly<Record<LampState, string>> = {
  writing: 'being written: leave cable and supply alone',
  searching: 'looking for its network',
  'set-up': 'its set-up network is open',
  joined: 'joined, broker reached',
  stopped: 'stopped: its serial log says why',
  found: 'here I am: blinked from Dew Post',
};

/**
 * What lamps say unless board or firmware have patterns of their own: docs/node-protocol.md asks for it. Patterns differ by
 * rhythm alone, so that one colour is enough.
 */
export const USUAL_LAMP: Readonly<Record<LampState, readonly number[]>> = {
  writing: [60, 60],
  searching: [500, 500],
  'set-up': [120, 160, 120, 900],
  joined: [60, 4940],
  stopped: [120, 160, 120, 160, 120, 1300],
  found: [1000],
};

const SHORT_MS = 300;

/** A pattern in words. `spans` as in `lampSpansSchema`. */
export function lampWords(spans: readonly number[]): string {
  if (spans.length === 1) return 'steady';
  const lit = spans.filter((_, i) => i % 2 === 0);
  const period = spans.reduce((sum, span) => sum + span, 0);
  if (lit.length === 1) {
    if (period <= 250) return 'flicker';
    const seconds = Math.round(period / 100) / 10;
    return `a ${(lit[0] ?? 0) < SHORT_MS ? 'short' : 'long'} blink every ${seconds === 1 ? 'second' : `${seconds} s`}`;
  }
  const words = lit.map((span) => (span < SHORT_MS ? 'short' : 'long'));
  const alike = words.every((word) => word === words[0]);
  return alike ? `${words.length} ${words[0]} blinks, then a pause` : `${words.join(', ')}, then a pause`;
}

/** The legend of one board with one image: the image's patterns where it has its own, else the board's, else the usual ones. */
export function lampLegend(board: LampSpans, firmware: LampSpans): LampPattern[] {
  return LAMP_STATES.map((state) => {
    const spans = firmware[state] ?? board[state] ?? USUAL_LAMP[state];
    return { state, name: lampWords(spans), meaning: MEANING[state], spans };
  });
}
