import { chatteringIn } from './rates';
import { FLOOD_BEGINS, FLOOD_ENDS, FLOOD_WINDOW_MS } from './flood';
import { FLEETING_MS } from './rehearsal';
import { SEVERITIES, type Severity } from './severity';

/** One alert as far as it counts: by which rule or built-in watch it came, and how long it stood. Times in ms since 1970. */
export interface CountedAlert {
  /** What all alerts of one origin share. */
  readonly origin: string;
  readonly severity: Severity;
  readonly trippedAt: number;
  /** `null`: it stands. */
  readonly clearedAt: number | null;
}

/** How often one origin spoke, and how. */
export interface AlertOrigin {
  readonly origin: string;
  readonly count: number;
  /** Of all alerts, 0 to 1. */
  readonly share: number;
  /** Over within a minute. */
  readonly fleeting: number;
  /** Three or more within a minute. */
  readonly chattering: number;
  /** Since when it stands, ms; `null`: it does not. */
  readonly standsSince: number | null;
}

export interface AlertLoad {
  readonly count: number;
  readonly perDay: number;
  /** Most in any ten minutes. */
  readonly peak: number;
  /** Share of the time in a flood, 0 to 1: from more than ten in ten minutes until fewer than five. */
  readonly floodShare: number;
  readonly fleeting: number;
  readonly chattering: number;
  /** Those that have stood for more than a day. */
  readonly stale: number;
  readonly bySeverity: Readonly<Record<Severity, number>>;
  /** Those that spoke most first. */
  readonly origins: readonly AlertOrigin[];
}

const DAY_MS = 86_400_000;
const WINDOW_MS = FLOOD_WINDOW_MS;

/**
 * What is published of how many alarms one person can live with, for each operating position: ANSI/ISA-18.2 and EEMUA 191 (as
 * `reference-values.md` §9 gives them). They were measured at consoles of plants; a house should stay far below.
 */
export const GUIDANCE = { perDay: 150, peak: 10, floodShare: 0.01, stale: 5, chattering: 0, fleeting: 0 } as const;

/** Most that came in any ten minutes (the end left out), and for how long of them it was a flood, ms; `times` ascending. */
function crowding(times: readonly number[], until: number): { peak: number; floodMs: number } {
  let [first, peak, floodMs] = [0, 0, 0];
  let floodSince: number | null = null;
  /** Lets go of what is ten minutes old at `now`; a flood that ends on the way is counted. */
  const forget = (now: number, count: (from: number) => number): void => {
    while (first < times.length && (times[first] as number) + WINDOW_MS <= now) {
      const leftAt = (times[first] as number) + WINDOW_MS;
      first++;
      if (floodSince !== null && count(first) < FLOOD_ENDS) {
        floodMs += leftAt - floodSince;
        floodSince = null;
      }
    }
  };
  times.forEach((at, i) => {
    forget(at, (from) => i - from);
    const count = i - first + 1;
    peak = Math.max(peak, count);
    if (count > FLOOD_BEGINS) floodSince ??= at;
  });
  forget(until, (from) => times.length - from);
  if (floodSince !== null) floodMs += Math.max(0, until - floodSince);
  return { peak, floodMs };
}

const isFleeting = ({ trippedAt, clearedAt }: CountedAlert): boolean => clearedAt !== null && clearedAt - trippedAt < FLEETING_MS;

/**
 * What alerts from `from` to `until` (ms) come to, and who they came from. Alerts in any order; one that tripped before is counted only
 * where it stands, as stale.
 */
export function alertLoad(alerts: readonly CountedAlert[], from: number, until: number): AlertLoad {
  const all = alerts.filter(({ trippedAt }) => trippedAt >= from && trippedAt < until).sort((a, b) => a.trippedAt - b.trippedAt);
  const byOrigin = new Map<string, CountedAlert[]>();
  for (const alert of all) {
    const own = byOrigin.get(alert.origin);
    if (own) own.push(alert);
    else byOrigin.set(alert.origin, [alert]);
  }
  const origins = [...byOrigin].map(([origin, own]): AlertOrigin => {
    const standing = own.find(({ clearedAt }) => clearedAt === null);
    return {
      origin,
      count: own.length,
      share: own.length / all.length,
      fleeting: own.filter(isFleeting).length,
      chattering: chatteringIn(own.map(({ trippedAt }) => trippedAt)),
      standsSince: standing?.trippedAt ?? null,
    };
  });
  const { peak, floodMs } = crowding(
    all.map(({ trippedAt }) => trippedAt),
    until,
  );
  const span = Math.max(1, until - from);
  const sum = (of: (origin: AlertOrigin) => number): number => origins.reduce((total, origin) => total + of(origin), 0);
  const count = (severity: Severity): number => all.filter((alert) => alert.severity === severity).length;
  const [advisory, warning, critical] = SEVERITIES.map(count) as [number, number, number];
  return {
    count: all.length,
    perDay: (all.length * DAY_MS) / span,
    peak,
    floodShare: floodMs / span,
    fleeting: sum((origin) => origin.fleeting),
    chattering: sum((origin) => origin.chattering),
    // One that tripped before this time and stands is no less stale.
    stale: alerts.filter(({ clearedAt, trippedAt }) => clearedAt === null && until - trippedAt > DAY_MS).length,
    bySeverity: { advisory, warning, critical },
    origins: origins.sort((a, b) => b.count - a.count || a.origin.localeCompare(b.origin)),
  };
}
