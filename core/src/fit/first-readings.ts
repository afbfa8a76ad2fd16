import { livesOnBattery, type Catalogue, type SheetDraft } from '../circuit';

/** What is known of a point whose first readings are judged. Ranges and values in the point's unit. */
export interface FirstPoint {
  readonly name: string;
  readonly label: string;
  readonly unit: string;
  readonly min: number;
  readonly max: number;
  readonly decimals: number;
  readonly physicalMin: number;
  readonly physicalMax: number;
}

/** What a sheet’s supply gives at least while the radio sends, V: its battery’s mark under load, else what the board takes. */
export function leastSupplyVolts(draft: SheetDraft | null, catalogue: Catalogue): number | null {
  if (!draft) return null;
  const supply = catalogue.supplies.get(draft.supply);
  const ofBattery = supply && livesOnBattery(supply) ? supply.battery?.lowLoadedVolts : undefined;
  return ofBattery ?? catalogue.boards.get(draft.board)?.supplyVolts[0] ?? null;
}

/** Judges the volts that a node said with its radio on, against the least its supply may give; `null` where either is not known. */
export function judgeFirstSupply(volts: number | null, least: number | null): FirstVerdict | null {
  if (volts === null || least === null) return null;
  const text = `${volts.toFixed(2)} V with its radio on, ${least.toFixed(2)} V is the least`;
  return { point: 'supply', verdict: volts < least ? 'fail' : 'pass', code: volts < least ? 'supply-low' : null, text };
}

/** What can be wrong with first readings. */
export const FIRST_CODES = ['supply-low', 'out-of-range', 'stuck-at-zero', 'full-scale', 'unit', 'too-noisy'] as const;
export type FirstCode = (typeof FIRST_CODES)[number];

export interface FirstVerdict {
  readonly point: string;
  /** `more`: too few yet; `note`: odd, and no reason to stop. */
  readonly verdict: 'more' | 'pass' | 'note' | 'fail';
  readonly code: FirstCode | null;
  readonly text: string;
}

/** Readings that are judged, of a node that reports often; one that sleeps for minutes is judged by its first. */
export const FIRST_READINGS = 3;
/** The newest so many are kept and judged. */
export const FIRST_KEPT = 5;
const SLOW_SECONDS = 60;
/** Noise above this share of the usual range is no sensor's: common practice. */
const NOISE_SHARE = 0.25;
/** What a single-wire thermometer gives when it is not there, and when it has not measured: common practice. */
const NO_THERMOMETER = [-127, 85];
/** Units in which nothing in a building measures nought. */
const NEVER_ZERO = ['hPa', 'ppm'];

/** How long a node that has made contact may take over its first readings, s. Five of its reports, a minute at least: common practice. */
export const firstPatienceSeconds = (reportSeconds: number): number => Math.max(60, 5 * reportSeconds);
/** How long one that has joined may take to say hello, s: common practice. */
export const CONTACT_SECONDS = 120;

/** Is this point one that only knows two states? */
export const isContact = (point: Pick<FirstPoint, 'min' | 'max' | 'decimals'>): boolean =>
  point.max - point.min <= 1 && point.decimals === 0;

/**
 * Judges the first readings of one point: in the sensor's range, not stuck at nought or at full scale, in the right unit, not
 * noisier than a sensor is. `all` in order of arrival.
 */
export function judgeFirst(point: FirstPoint, all: readonly number[], reportSeconds: number): FirstVerdict {
  const say = (verdict: FirstVerdict['verdict'], code: FirstCode | null, text: string): FirstVerdict => ({
    point: point.name,
    verdict,
    code,
    text,
  });
  const needed = neededOf(reportSeconds);
  if (all.length < needed) return say('more', null, `${all.length} of ${needed}`);
  const of = (value: number): string => `${value.toFixed(point.decimals)} ${point.unit}`.trim();
  // One wild value at power-up is common; nothing but wild ones is a fault.
  const values = all.filter((value) => value >= point.physicalMin && value <= point.physicalMax);
  const [wild] = all.filter((value) => !values.includes(value));
  if (wild !== undefined && values.length < needed) {
    if (values.length > 0 && all.length < FIRST_KEPT) return say('more', null, `${values.length} of ${needed}`);
    const missing = point.unit === '°C' && NO_THERMOMETER.includes(wild) ? ': a thermometer that is not there says so' : '';
    return say(
      'fail',
      'out-of-range',
      `${of(wild)} is outside of what it can measure (${of(point.physicalMin)} to ${of(point.physicalMax)})${missing}`,
    );
  }
  const [first = 0] = values;
  if (isContact(point)) return say('pass', null, first === 0 ? 'reads 0' : 'reads 1');
  const same = values.every((value) => value === first);
  if (same && values.length > 1) {
    if (point.unit === '°C' && NO_THERMOMETER.includes(first))
      return say('fail', 'full-scale', `${of(first)} every time: what a thermometer gives that has not measured`);
    if (first === point.physicalMax) return say('fail', 'full-scale', `${of(first)} every time: the end of its scale`);
    if (first === 0 && (NEVER_ZERO.includes(point.unit) || point.name.startsWith('humidity')))
      return say('fail', 'stuck-at-zero', `${of(0)} every time: nothing here measures nought`);
    if (first === point.physicalMin && first !== 0)
      return say('fail', 'stuck-at-zero', `${of(first)} every time: the lower end of its scale`);
  }
  const mean = values.reduce((sum, value) => sum + value, 0) / values.length;
  const spread = Math.max(...values) - Math.min(...values);
  // What counts whole things moves by whole ones: two steps of the last digit are no noise.
  const tolerated = Math.max(NOISE_SHARE * (point.max - point.min), 2 * 10 ** -point.decimals);
  if (point.max > point.min && spread > tolerated && values.length > 1)
    return say('fail', 'too-noisy', `jumps by ${of(spread)} from reading to reading`);
  if (point.unit === '°C' && mean > point.max && (mean - 32) / 1.8 >= point.min && (mean - 32) / 1.8 <= point.max)
    return say('note', 'unit', `${of(mean)}: reads like degrees Fahrenheit, ${((mean - 32) / 1.8).toFixed(1)} °C`);
  return say('pass', null, values.length > 1 ? `${of(Math.min(...values))} to ${of(Math.max(...values))}` : of(first));
}

/** How many readings one of its points is judged by: one that sleeps for minutes is judged by its first. */
const neededOf = (reportSeconds: number): number => (reportSeconds >= SLOW_SECONDS ? 1 : FIRST_READINGS);

/** How far a node's first readings are: of the point that has the fewest, how many of how many. `values` by point, in order of arrival. */
export function firstProgress(
  points: readonly FirstPoint[],
  values: ReadonlyMap<string, readonly number[]>,
  reportSeconds: number,
): { have: number; of: number } {
  const of = neededOf(reportSeconds);
  return { have: Math.min(of, ...points.map((point) => values.get(point.name)?.length ?? 0)), of };
}

/** A node's first readings in one word: failed where a point fails, more where one is too few yet. */
export function judgeFirstReadings(
  points: readonly FirstPoint[],
  values: ReadonlyMap<string, readonly number[]>,
  reportSeconds: number,
): { verdict: 'more' | 'pass' | 'fail'; points: FirstVerdict[] } {
  const judged = points.map((point) => judgeFirst(point, values.get(point.name) ?? [], reportSeconds));
  const verdict = judged.some((one) => one.verdict === 'fail') ? 'fail' : judged.some((one) => one.verdict === 'more') ? 'more' : 'pass';
  return { verdict, points: judged };
}
