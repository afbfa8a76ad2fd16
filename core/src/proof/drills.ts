/** What can be drilled on stand-ins: something goes wrong on purpose, and what has to follow is waited for. */
export const DRILLS = [
  'flood',
  'left-open',
  'stuck-on',
  'sensor-failed',
  'sensor-stuck',
  'network-down',
  'power-cut',
  'server-lost',
] as const;
export type DrillKind = (typeof DRILLS)[number];

/** One thing that has to happen, and within which time. */
export interface DrillStep {
  readonly what: string;
  readonly limitMs: number;
  /** What it must not come before, ms. */
  readonly notBeforeMs: number;
  /** When it happened, from when it was waited for; `null`: not yet, or never. */
  readonly ms: number | null;
}

/** Did it happen in its time? `null`: it is waited for still. */
export function stepPassed({ ms, limitMs, notBeforeMs }: DrillStep, over: boolean): boolean | null {
  if (ms === null) return over ? false : null;
  return ms >= notBeforeMs && ms <= limitMs;
}

/** A drill passes when everything that had to happen did, in its time; one without a step proves nothing. */
export const drillPassed = (steps: readonly DrillStep[]): boolean =>
  steps.length > 0 && steps.every((step) => stepPassed(step, true) === true);

/** What each is called, and what has to follow, in words. */
export const DRILL_WORDS: Readonly<Record<DrillKind, { readonly title: string; readonly follows: string }>> = {
  flood: { title: 'Flood', follows: 'a float lifts: an alert, and somebody is told' },
  'left-open': { title: 'Door left open', follows: 'a contact stays open: an alert after its delay, and not before' },
  'stuck-on': { title: 'Output stuck on', follows: 'it reads on after off: a critical alert, and somebody is told' },
  'sensor-failed': { title: 'Sensor failed', follows: 'its readings are marked bad, and nothing runs by them' },
  'sensor-stuck': { title: 'Sensor stuck', follows: 'its readings stand still, and are marked as doubtful' },
  'network-down': { title: 'Network down', follows: 'the links are known to be lost, and all come back' },
  'power-cut': { title: 'Power cut', follows: 'all report in again, and nothing runs that nobody wants' },
  'server-lost': { title: 'Server lost', follows: 'an output goes off by its own lease' },
};
