import type { Latest, Node, Point, Threshold } from '@dewpost/contract';
import {
  clearLevelOf,
  engineRule,
  knowsAnything,
  LEAST_WEEKS,
  limitsOf,
  othersOf,
  usualAt,
  type Habit,
  type Reports,
  type RuleAsSet,
  type Severity,
  type ThresholdRule,
} from '@dewpost/core/alarm';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { computed, type Signal } from '@angular/core';
import { ladderWords } from './rule-words';
import type { JudgedDraft } from './judged-draft';
import type { WhatFollows } from './what-follows';

/** Figures of a rule as they stand in the form. */
export interface RuleFigures {
  readonly point: number | null;
  readonly side: 'high' | 'low' | null;
  readonly setpoint: number | null;
  readonly deadband: number | null;
  readonly onDelaySeconds: number | null;
  readonly offDelaySeconds: number | null;
  readonly severity: Severity | null;
}

interface House {
  readonly before: Threshold | null;
  readonly figures: Signal<RuleFigures>;
  readonly judged: JudgedDraft;
  readonly what: WhatFollows;
  readonly point: Signal<Point | null>;
  readonly points: Signal<readonly Point[]>;
  readonly nodes: Signal<Readonly<Partial<Record<string, Node>>>>;
  readonly thresholds: Signal<readonly Threshold[]>;
  readonly reading: Signal<Latest | null>;
  readonly zone: Signal<string>;
  /** What is usual at the point, where that is judged. */
  readonly habit: Signal<Habit | null>;
}

/** What is said of a rule that judges what was made of readings. */
const KIND_WORDS = {
  rate: 'Judged once the record reaches back as far. A fall is negative.',
  count: 'It goes down by itself as time passes.',
  silence: 'It clears with the next good reading.',
  difference: 'Judged while both are fresh.',
  usual: 'Learnt anew each day from its last six weeks, hour by hour of the week. Below is negative.',
} as const;

/** A rule while it is drawn: where it clears, as the engine would judge by it, and what is to be said of it. */
export class DrawnRule {
  constructor(private readonly house: House) {}

  /** What has one side only is high. */
  readonly side = computed(() => (this.house.judged.oneSided() ? 'high' : (this.house.figures().side ?? 'low')));
  readonly clear = computed(() => {
    const { setpoint, deadband } = this.house.figures();
    return setpoint === null ? null : clearLevelOf(this.side(), setpoint, deadband ?? 0);
  });
  readonly limits = computed(() => {
    const { setpoint, severity } = this.house.figures();
    const [clear, judges] = [this.clear(), this.house.judged.judges()];
    return setpoint === null || clear === null || 'fault' in judges
      ? []
      : limitsOf({ side: this.side(), setpoint, clearLevel: clear, severity: severity ?? 'advisory', judges: judges.value });
  });
  /** As the engine would judge by it; `null` while it has no setpoint or a figure that cannot be used. */
  readonly rule = computed((): ThresholdRule | null => {
    const { setpoint, deadband, onDelaySeconds, offDelaySeconds } = this.house.figures();
    const judged = this.house.judged.body();
    const [clear, on, off] = [this.clear(), onDelaySeconds ?? 0, offDelaySeconds ?? 0];
    if (setpoint === null || clear === null || judged === null || (deadband ?? 0) < 0 || on < 0 || off < 0) return null;
    return this.engineRule({
      ...{ side: this.side(), setpoint, deadband: deadband ?? 0, clearLevel: clear, onDelaySeconds: on, offDelaySeconds: off },
      ...{ hours: this.house.what.hours(), judges: judged.judges, also: judged.also },
    });
  });
  readonly inForce = computed(() => (this.house.before ? this.engineRule(this.house.before) : null));
  /** Other points whose records it needs. */
  readonly others = computed(
    (): { beside: Point | null; also: Point | null } => {
      const { beside, also } = othersOf(this.house.judged.body() ?? {});
      const find = (id: number | null): Point | null => this.house.points().find((point) => point.id === id) ?? null;
      return { beside: find(beside), also: find(also) };
    },
    { equal: (a, b) => a.beside?.id === b.beside?.id && a.also?.id === b.also?.id },
  );
  /** What of the point's other rules makes its ladder of limits fall with this one. */
  readonly ladder = computed((): string | null => {
    const { point: at, figures, thresholds, before, what, judged } = this.house;
    const [point, { setpoint, ...figure }] = [at(), figures()];
    if (!point || point.confirm === 'hold' || setpoint === null || judged.kind() !== 'value' || judged.join() !== null) return null;
    const others = thresholds().filter((other) => other.point === point.id && other.id !== before?.id);
    const step = { ...figure, setpoint, alerts: what.alerts(), hours: what.hours(), unless: what.unless() };
    return ladderWords(step, others, (value) => this.number(value));
  });
  readonly words = computed(() => {
    const [clear, point, kind] = [this.clear(), this.house.point(), this.house.judged.kind()];
    if (!point || clear === null) return `Type ${kind === 'value' ? 'a setpoint' : 'its figures'}.`;
    const fault = this.house.judged.fault();
    if (fault !== null) return fault;
    const { setpoint } = this.house.figures();
    if (kind === 'rate' && setpoint !== null && (this.side() === 'high' ? setpoint <= 0 : setpoint >= 0))
      return this.side() === 'high' ? 'A rise is more than 0.' : 'A fall is negative: type less than 0, or choose at or above.';
    if (kind === 'usual') {
      const given = this.house.figures().setpoint;
      if (given !== null && (this.side() === 'high' ? given < 0 : given > 0))
        return this.side() === 'high'
          ? 'Above what is usual is 0 or more.'
          : 'Below what is usual is negative: type 0 or less, or choose at or above.';
      return this.usualWords();
    }
    if (kind !== 'value' && kind !== 'band') return KIND_WORDS[kind];
    const reading = this.house.reading();
    const now = reading && !point.uncalibrated ? ` Now it is ${this.number(reading.value)}.` : '';
    if (kind === 'band') return `Clears ${this.number(this.house.figures().deadband ?? 0)} inside of either end.${now}`;
    const holds = point.confirm === 'hold' ? ' It says only when it changes: what it said last holds until then.' : '';
    return `Clears ${this.side() === 'high' ? 'at or below' : 'at or above'} ${this.number(clear)}.${now}${holds}`;
  });

  /** Between what it usually lies now, or why that cannot be said. */
  private usualWords(): string {
    const habit = this.house.habit();
    if (!habit) return `Reading what is usual. ${KIND_WORDS.usual}`;
    if (!knowsAnything(habit))
      return `What is usual cannot be said yet: it takes ${LEAST_WEEKS} weeks, and ${counted(habit.weeks, 'week')} were read.`;
    const usual = usualAt(habit, this.house.reading()?.at ?? Date.now());
    const now = usual
      ? `Usual at this hour: ${this.number(usual.low)} to ${this.number(usual.high)}, in nine of ten quarters of an hour. `
      : '';
    return now + KIND_WORDS.usual;
  }

  private number(value: number | null): string {
    const scale = this.house.point()?.calibratesTo;
    return `${formatNumber(value, scale?.decimals ?? 1)} ${scale?.unit ?? ''}`;
  }

  private engineRule(rule: RuleAsSet): ThresholdRule {
    const { nodes, point, points, zone, habit } = this.house;
    const reports = (of: Point | null): Reports => ({
      confirm: of?.confirm ?? 'readings',
      reportSeconds: nodes()[of?.node ?? '']?.reportSeconds ?? 30,
    });
    return engineRule(rule, { ...reports(point()), habit: habit() }, zone(), (id) => {
      const other = points().find((one) => one.id === id);
      return other && reports(other);
    });
  }
}
