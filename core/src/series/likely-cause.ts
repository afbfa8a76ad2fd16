/** What a stretch of a point's record had that was not good. Counts of readings. */
export interface NotGood {
  readonly used: number;
  readonly suspect: number;
  readonly bad: number;
  readonly late: number;
  readonly missing: number;
  /** Suspect and bad ones by their reason. */
  readonly reasons: Readonly<Record<string, number>>;
  /** The value that came most often among them, and how often. */
  readonly commonest: { readonly value: number; readonly count: number } | null;
  /** Its newest reading, ms; `null`: none yet. */
  readonly lastAt: number | null;
  readonly now: number;
  /** How its calibration stands; `none`: it wants none. */
  readonly calibration?: 'missing' | 'due' | 'inherited' | 'in order' | 'none';
}

export interface LikelyCause {
  readonly code: 'wire' | 'range' | 'rail' | 'stuck' | 'spikes' | 'supply' | 'fault' | 'silent' | 'gaps' | 'late' | 'calibrate' | 'none';
  /** What it probably is, with its one figure. */
  readonly words: string;
  readonly figure: string;
  readonly next: string;
}

/** This share of the readings that are not good at one same value is a wire that is off, not weather: common practice. */
const ONE_VALUE = 0.8;
/** Silent for longer than this is silent now, ms. */
const SILENT_MS = 3_600_000;

const UNCALIBRATED = {
  missing: { words: 'Never calibrated: shown as it comes', next: 'Calibrate it' },
  due: { words: 'Its calibration is past its day', next: 'Calibrate it anew, or confirm it' },
  inherited: { words: 'Its calibration is another’s', next: 'Confirm it beside a reference' },
} as const;

/** The likely cause of what is not good, and what to do next. `figure` writes a value of the point with its unit. */
export function likelyCause(of: NotGood, figure: (value: number) => string): LikelyCause {
  const wrong = of.suspect + of.bad;
  const share = (reason: string): number => of.reasons[reason] ?? 0;
  const total = of.used + of.bad + of.missing;
  if (of.missing > wrong && of.missing > 0) {
    const silent = of.lastAt === null || of.now - of.lastAt > SILENT_MS;
    return silent
      ? {
          code: 'silent',
          words: 'Silent',
          figure: `${of.missing} of ${total} missing`,
          next: 'Look whether it has power and reaches its network',
        }
      : {
          code: 'gaps',
          words: 'Gaps: it drops out and comes back',
          figure: `${of.missing} of ${total} missing`,
          next: 'Look at its signal and its supply',
        };
  }
  if (wrong > 0) {
    const [reason = ''] = Object.entries(of.reasons).sort((a, b) => b[1] - a[1])[0] ?? [];
    const { commonest } = of;
    if ((reason === 'out-of-range' || reason === 'rail') && commonest && commonest.count >= ONE_VALUE * wrong)
      return {
        code: 'wire',
        words: 'Wire off, or on the wrong pin',
        figure: `${figure(commonest.value)} in ${commonest.count} of ${wrong}`,
        next: 'Press its plug, then look at the pin',
      };
    if (reason === 'supply')
      return {
        code: 'supply',
        words: 'Measured on too low a supply',
        figure: `${share('supply')} readings`,
        next: 'Charge or change its battery; look at the voltage under load',
      };
    if (reason === 'fault')
      return {
        code: 'fault',
        words: 'Its sensor says that it failed',
        figure: `${share('fault')} readings`,
        next: 'Look at its data wire and pull-up; power it off and on',
      };
    if (reason === 'rail')
      return {
        code: 'rail',
        words: 'At the end of its scale',
        figure: `${share('rail')} readings`,
        next: 'Look at its supply and its divider',
      };
    if (reason === 'stuck')
      return {
        code: 'stuck',
        words: commonest ? `Stuck at ${figure(commonest.value)}` : 'Stuck',
        figure: `${share('stuck')} readings`,
        next: 'Breathe on it or warm it; power it off and on',
      };
    if (reason === 'spike')
      return {
        code: 'spikes',
        words: 'Jumps',
        figure: `${share('spike')} readings`,
        next: 'Look at its screen, its supply, and what switches beside it',
      };
    return { code: 'range', words: 'Outside what it can measure', figure: `${of.bad} readings`, next: 'Look at its wire and its address' };
  }
  if (of.late > 0)
    return {
      code: 'late',
      words: 'Late, but here',
      figure: `${of.late} came in a backfill`,
      next: 'Nothing, or a better way to its network',
    };
  const { calibration = 'none' } = of;
  if (calibration !== 'none' && calibration !== 'in order') return { code: 'calibrate', figure: '', ...UNCALIBRATED[calibration] };
  return { code: 'none', words: 'Nothing', figure: '', next: '' };
}
