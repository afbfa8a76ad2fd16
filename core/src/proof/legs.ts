/** The legs of a trip test, in the order in which they are run. */
export const LEGS = ['sensor', 'rule', 'message', 'output', 'put back'] as const;
export type Leg = (typeof LEGS)[number];

/**
 * How long each leg may take, ms. They are ours: five seconds from reading to message or contact is what a person at the node still takes
 * for one event.
 */
export const LEG_LIMIT_MS: Readonly<Record<Leg, number>> = { sensor: 2500, rule: 1000, message: 5000, output: 3000, 'put back': 3000 };

/** When what happened, ms since 1970; `null`: not yet, or never. */
export interface TestTimes {
  /** The reading that met the condition was taken, by its node's clock. */
  readonly readAt: number | null;
  /** It was received; of a silence, that became too long. */
  readonly arrivedAt: number | null;
  /** The trip, with what follows from it, was written. */
  readonly trippedAt: number | null;
  /** The first message arrived. */
  readonly deliveredAt: number | null;
  readonly commandedAt: number | null;
  /** The output read back as it was told. */
  readonly answeredAt: number | null;
  /** Everything is as before: rule in force again, output told off. */
  readonly restoredAt: number | null;
  /** The output read back off. */
  readonly offAt: number | null;
}

export const NO_TIMES: TestTimes = {
  readAt: null,
  arrivedAt: null,
  trippedAt: null,
  deliveredAt: null,
  commandedAt: null,
  answeredAt: null,
  restoredAt: null,
  offAt: null,
};

/** What a rule's test has to show: an alert or notice that arrives, an output that is switched, and how. */
export interface TestScope {
  /** Does a reading make it trip? A silence comes about by time alone. */
  readonly reads: boolean;
  readonly tells: boolean;
  readonly switches: 'on' | 'off' | null;
}

export interface LegResult {
  readonly leg: Leg;
  /** Took so long; `null`: it did not end. */
  readonly ms: number | null;
  readonly limitMs: number;
  readonly passed: boolean;
}

const between = (from: number | null, to: number | null): number | null => (from === null || to === null ? null : Math.max(0, to - from));

/** The legs that this test runs. What is told off needs no putting back: off is how it fails safe. */
export function legsOf({ reads, tells, switches }: TestScope): Leg[] {
  const has: Readonly<Record<Leg, boolean>> = {
    sensor: reads,
    rule: true,
    message: tells,
    output: switches !== null,
    'put back': switches === 'on',
  };
  return LEGS.filter((leg) => has[leg]);
}

/** Each leg with what it took, against its limit. A node whose clock runs ahead gives 0 ms, never less. */
export function judgeLegs(scope: TestScope, times: TestTimes, extraMs: Partial<Record<Leg, number>> = {}): LegResult[] {
  const took: Record<Leg, number | null> = {
    sensor: between(times.readAt, times.arrivedAt),
    rule: between(times.arrivedAt, times.trippedAt),
    message: between(times.trippedAt, times.deliveredAt),
    output: between(times.commandedAt, times.answeredAt),
    'put back': between(times.restoredAt, times.offAt),
  };
  return legsOf(scope).map((leg) => {
    const limitMs = LEG_LIMIT_MS[leg] + (extraMs[leg] ?? 0);
    const ms = took[leg];
    return { leg, ms, limitMs, passed: ms !== null && ms <= limitMs };
  });
}

/** Have all legs up to the putting back ended? Then the test is over, and everything is put back. */
export const isThrough = (scope: TestScope, times: TestTimes): boolean =>
  judgeLegs(scope, times).every(({ leg, ms }) => leg === 'put back' || ms !== null);
