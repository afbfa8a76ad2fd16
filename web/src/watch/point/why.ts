import type { Calibration, Latest, Point } from '@dewpost/contract';
import { versionAt } from '@dewpost/core/calibration';
import { conversionWords } from '../../parts/conversion-words';
import { formatNumber } from '@dewpost/core/quantity';

/** Where a formula for derived points comes from. */
const FORMULAS: Record<string, { readonly words: string; readonly source: string }> = {
  'dew-point': {
    words: 'dew point over water from air temperature and relative humidity',
    source: 'Sonntag 1990, as in WMO-No. 8, Part I, chapter 4',
  },
};
const REASONS: Record<string, string> = {
  'out-of-range': 'outside what the sensor can measure',
  'not-a-number': 'not a number',
  spike: 'a jump away from the readings before it',
  stuck: 'exactly the same for longer than a healthy sensor stays so',
  rail: 'pinned at an end of what the converter can give',
  supply: 'measured while its node’s supply was too low to be trusted',
  fault: 'what its sensor gives where a reading failed',
};

/** One line of the answer to “why does this show that?”. */
export interface Because {
  readonly what: string;
  readonly words: string;
}

/** From a point's newest reading down to what its node sent: value, uncertainty, conversion, raw value, quality. `made`: how a point is computed that somebody made from others. */
export function because(
  point: Point,
  latest: Latest,
  raw: number | null,
  versions: readonly Calibration[],
  nameOf: (point: string) => string,
  made: { readonly formula: string; readonly from: string; readonly source: string } | null = null,
): Because[] {
  const { decimals, unit } = point;
  const figure = (value: number, places = decimals, of = unit): string => `${formatNumber(value, places)} ${of}`.trim();
  const lines: Because[] = [{ what: 'shows', words: figure(latest.value) }];
  const inForce = versionAt(
    point.raw,
    versions.filter(({ withdrawnAt }) => withdrawnAt === null),
    latest.at,
  );
  if (made) {
    lines.push({ what: 'computed', words: `${made.formula}: ${made.from}` }, { what: 'source', words: made.source });
  } else if (point.derived) {
    const formula = FORMULAS[point.derived.quantity];
    lines.push(
      { what: 'computed', words: `${formula?.words ?? point.derived.quantity}: ${point.derived.from.map(nameOf).join(' and ')}` },
      { what: 'source', words: formula?.source ?? 'not said' },
    );
  } else if (point.uncalibrated) {
    lines.push({ what: 'converted', words: `by nothing yet: ${unit} as its node sends them` });
  } else if (inForce) {
    lines.push(
      { what: 'within', words: `± ${figure(inForce.uncertainty, decimals + 1)}, one standard uncertainty` },
      {
        what: 'converted',
        words: `version ${inForce.version}: ${conversionWords(inForce.coefficients)}, by ${inForce.madeBy}`,
      },
    );
  } else if (point.kind === 'measured') {
    lines.push({ what: 'converted', words: point.raw ? 'as its build sheet says' : 'by nothing: the node sends it so' });
  }
  if (raw !== null && !point.derived && !made)
    lines.push({ what: 'raw', words: point.raw ? figure(raw, 0, point.raw.unit) : figure(raw, decimals + 1) });
  const reason = latest.reason === null ? '' : `: ${REASONS[latest.reason] ?? latest.reason}`;
  lines.push({ what: 'quality', words: latest.quality + reason });
  return lines;
}
