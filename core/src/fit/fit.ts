import { isContact, type FirstPoint } from './first-readings';
import { isOfSensor } from '../wire';

/** One thing that is proved in place before a node is armed. */
export interface FitNeed {
  /** `signal`, `supply`, `reading:{point}`, `self-test:{point}`, `contact:{point}` or `output:{point}`. */
  readonly id: string;
  readonly kind: 'signal' | 'supply' | 'reading' | 'self-test' | 'contact' | 'output';
  readonly point: string | null;
  readonly label: string;
}

/** Groups of parts whose figure cannot be right before they are calibrated: what they show follows the hand, and that is the proof. */
export const RIGHT_ONCE_CALIBRATED: ReadonlySet<string> = new Set(['soil', 'mechanical']);

/** What decides which checks a node is asked for. */
export interface FitAsks {
  /** It lives on a battery, or tells its volts by itself: a meter at a mains supply shows nothing. */
  readonly supply: boolean;
  /** Points whose part is not calibrated yet and cannot be right before. */
  readonly uncalibrated: ReadonlySet<string>;
}

/** What is proved of a node in place: signal, supply, every sensor, every output; in the order one does it on the ladder. */
export function fitNeeds(
  points: readonly (FirstPoint & { readonly kind: 'measured' | 'derived' | 'switched' })[],
  asks: FitAsks = { supply: true, uncalibrated: new Set() },
): FitNeed[] {
  const measured = (point: FirstPoint): FitNeed['kind'] =>
    isContact(point) ? 'contact' : asks.uncalibrated.has(point.name) ? 'self-test' : 'reading';
  const of = (kind: FitNeed['kind'], point: FirstPoint): FitNeed => ({
    id: `${kind}:${point.name}`,
    kind,
    point: point.name,
    label: point.label,
  });
  return [
    { id: 'signal', kind: 'signal', point: null, label: 'Signal in place' },
    ...(asks.supply ? [{ id: 'supply', kind: 'supply' as const, point: null, label: 'Supply while it sends' }] : []),
    ...points.filter((point) => point.kind === 'measured' && isOfSensor(point)).map((point) => of(measured(point), point)),
    ...points.filter((point) => point.kind === 'switched').map((point) => of('output', point)),
  ];
}

export interface FitVerdict {
  readonly passed: boolean;
  readonly text: string;
}

/** Level that a link is planned for, dBm, and how far its weakest seconds may lie below. Common practice. */
export const FIT_FLOOR_DBM = -75;
const FIT_DIP_DB = 6;

/**
 * Judges a stretch of levels in place (dBm, one a second or so): the middle one at the planning floor or above, and the weakest
 * tenth not far below. A stretch that is shorter than `seconds` says so and does not pass.
 */
export function judgeSignal(samples: readonly { at: number; dbm: number }[], seconds: number): FitVerdict {
  const [first] = samples;
  const last = samples.at(-1);
  const lasted = first && last ? (last.at - first.at) / 1000 : 0;
  // The first sample stands for the second before it.
  if (!first || !last || lasted < seconds - 2 || samples.length < Math.max(2, seconds / 4))
    return {
      passed: false,
      text: `${samples.length} levels over ${Math.round(lasted)} s, ${seconds} s are needed: stay by the node and take it again.`,
    };
  const sorted = samples.map(({ dbm }) => dbm).sort((a, b) => a - b);
  const middle = sorted[sorted.length >> 1] ?? first.dbm;
  const weak = sorted[Math.floor(sorted.length / 10)] ?? middle;
  const figures = `middle ${Math.round(middle)} dBm, weakest tenth ${Math.round(weak)} dBm over ${Math.round(lasted)} s; floor ${FIT_FLOOR_DBM} dBm`;
  if (middle < FIT_FLOOR_DBM)
    return { passed: false, text: `${figures}. Too weak: turn or move the antenna, or move the node away from metal.` };
  if (weak < FIT_FLOOR_DBM - FIT_DIP_DB)
    return { passed: false, text: `${figures}. It fades: somebody or something moves in the way, or two access points quarrel.` };
  return { passed: true, text: figures };
}

/** Judges one level that a person read off (at the router's or the gateway's page), of a node that cannot be asked. */
export function judgeLevel(dbm: number): FitVerdict {
  const figures = `${Math.round(dbm)} dBm, read off once; floor ${FIT_FLOOR_DBM} dBm`;
  return dbm >= FIT_FLOOR_DBM
    ? { passed: true, text: figures }
    : { passed: false, text: `${figures}. Too weak: turn or move the antenna, or move the node away from metal.` };
}

/** Judges the supply while the node sends: volts at the board against the least it takes. */
export function judgeSupply(volts: number, least: number, ofBattery: boolean): FitVerdict {
  const figures = `${volts.toFixed(2)} V while it sends, ${least.toFixed(2)} V is the least`;
  if (volts > least) return { passed: true, text: figures };
  return {
    passed: false,
    text: `${figures}. ${ofBattery ? 'Fresh cells, or ones that stand the current; look at the contacts.' : 'A shorter or thicker cable, or a stronger supply.'}`,
  };
}

/** Tolerance offered against a hand instrument: a twentieth of the usual range, common practice; a person may set another. */
export const handTolerance = (point: Pick<FirstPoint, 'min' | 'max' | 'decimals'>): number =>
  Number(((point.max - point.min) / 20).toFixed(Math.max(1, point.decimals)));

/** Judges a reading against a hand instrument held beside the sensor. */
export function judgeByHand(point: Pick<FirstPoint, 'unit' | 'decimals'>, reading: number, hand: number, tolerance: number): FitVerdict {
  const miss = reading - hand;
  const of = (value: number): string => `${value.toFixed(point.decimals)} ${point.unit}`.trim();
  const figures = `reads ${of(reading)}, by hand ${of(hand)}: ${miss > 0 ? '+' : ''}${of(miss)}, ±${of(tolerance)} may be`;
  return Math.abs(miss) <= tolerance
    ? { passed: true, text: figures }
    : { passed: false, text: `${figures}. Wait until both have settled; then calibrate it, or look at where it hangs.` };
}

/** What to try at a part to see that it lives; shown beside its readings. Common practice. */
export const SELF_TESTS: Readonly<Record<string, string>> = {
  climate: 'Breathe on it, or hold it in a hand: the value rises within half a minute and falls again.',
  soil: 'Lift it out and wipe it dry: the value falls; back in, pressed home, it comes back.',
  level: 'Hold a board under it, or lift the float: the value follows.',
  contact: 'Open and close it: two changes, no more.',
  motion: 'Walk past, then stand still out of sight: it comes and goes.',
  light: 'Shade it with a hand: the value falls at once.',
  air: 'Air the room: the value falls towards outdoors within minutes.',
  electrical: 'Switch a load you know: the value moves by about its current.',
  flow: 'Run a bucketful: count against the bucket.',
  weather: 'Turn or tip it by hand: each turn, each tip counts once.',
  mechanical: 'Load it with a weight you know, or tap it: the value follows.',
  other: 'Change what it measures by hand: the value follows.',
};

/** How far a value must move to count as following the hand: a fiftieth of its usual range, and more than its last figure. Common practice. */
export const followsFrom = (point: Pick<FirstPoint, 'min' | 'max' | 'decimals'>): number =>
  isContact(point) ? 0.5 : Math.max((point.max - point.min) / 50, 2 * 10 ** -point.decimals);

/** How each check of a node stands, and what follows: is everything settled, and which points stay unarmed because their check was not possible? */
export function fitOutcome(needs: readonly { readonly point: string | null; readonly state: string }[]): {
  readonly settled: boolean;
  readonly unproved: readonly string[];
} {
  return {
    settled: needs.some(({ state }) => state === 'passed') && needs.every(({ state }) => state === 'passed' || state === 'not-possible'),
    unproved: needs.flatMap(({ point, state }) => (point !== null && state === 'not-possible' ? [point] : [])),
  };
}
