import type { Severity } from '@dewpost/contract';
import { severityRank } from '@dewpost/core/alarm';
import { formatDuration, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input } from '@angular/core';
import { RouterLink } from '@angular/router';
import { Clock } from './clock';
import { SeverityGlyph } from './severity-glyph';
import { BASELINE, RAIL, staffGeometry, type StaffLimit } from './staff';
import { StateGlyph } from './state-glyph';

/** What a strip shows of a point; the same for an account and for an onlooker. */
export interface StripPoint {
  id: number;
  label: string;
  unit: string;
  min: number;
  max: number;
  decimals: number;
  /** What its values are in words, where they are kinds. */
  states: readonly string[];
}
export interface StripReading {
  at: number;
  value: number;
  quality: 'good' | 'suspect' | 'bad';
  reason: string | null;
  low: number | null;
  high: number | null;
  base: { at: number; value: number } | null;
}

/** Readings over a shorter span give no rate per hour. */
const RATE_AFTER_MS = 20 * 60_000;
const COLOURS = ['--ink', '--ochre', '--rust', '--carmine'];
const CALM = ['--wash', '--z1', '--z2', '--z3'];
const LIT = ['--wash', '--ochre-z', '--rust-z', '--carmine-z'];
const QUALITY_WORDS: Record<string, string> = {
  'out-of-range': 'out of range',
  spike: 'a spike',
  stuck: 'stuck',
  rail: 'pinned at an end of its scale',
  supply: 'supply too low',
  fault: 'its sensor failed',
  'not-a-number': 'not a number',
};

/** One point as one row: name, staff, value, rate, age. Quiet strips have no colour; only one in alarm is lit. */
@Component({
  selector: 'dp-reading-strip',
  imports: [RouterLink, SeverityGlyph, StateGlyph],
  templateUrl: './reading-strip.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReadingStrip {
  private readonly clock = inject(Clock);
  readonly point = input.required<StripPoint>();
  /** Second line: the node's id, or its room for an onlooker. */
  readonly under = input('');
  /** Where its name leads; `null`: nowhere, an onlooker has this page only. */
  readonly to = input<readonly string[] | null>(null);
  readonly reading = input<StripReading | null>(null);
  readonly limits = input<readonly StaffLimit[]>([]);
  readonly severity = input<Severity | null>(null);
  readonly silent = input(false);
  /** Readings older than this are late. */
  readonly freshMs = input(90_000);

  protected readonly width = 338;
  protected readonly baseline = BASELINE;
  protected readonly rail = RAIL;
  protected readonly staff = computed(() => {
    const { min, max } = this.point();
    const reading = this.reading();
    return staffGeometry({ width: this.width, min, max, limits: this.limits(), low: reading?.low ?? null, high: reading?.high ?? null });
  });
  protected readonly rank = computed(() => {
    const severity = this.severity();
    return severity === null ? 0 : severityRank(severity);
  });
  protected readonly colour = computed(() => `var(${COLOURS[this.rank()]})`);
  protected readonly age = computed(() => (this.reading() ? Math.max(0, this.clock.now() - (this.reading()?.at ?? 0)) : null));
  protected readonly late = computed(() => (this.age() ?? 0) > this.freshMs());
  protected readonly doubtful = computed(() => this.late() || this.reading()?.quality !== 'good');
  protected readonly ageText = computed(() => (this.age() === null ? '' : formatDuration(this.age() ?? 0)));
  protected readonly value = computed(() => {
    const reading = this.reading();
    // The state of a silent point is unknown, never its last value.
    if (reading === null || this.silent()) return '–';
    const { states, decimals } = this.point();
    return states[reading.value] ?? formatNumber(reading.value, decimals);
  });
  protected readonly why = computed(() => {
    const reading = this.reading();
    if (reading === null) return 'no reading yet';
    if (this.silent()) return 'unknown: its node is silent';
    if (reading.quality !== 'good') return `${reading.quality}: ${QUALITY_WORDS[reading.reason ?? ''] ?? 'not to be trusted'}`;
    return this.late() ? 'late' : '';
  });
  protected readonly rate = computed(() => {
    const reading = this.reading();
    const base = reading?.base;
    // A minute says nothing of an hour.
    if (!reading || !base || reading.at - base.at < RATE_AFTER_MS) return null;
    const perHour = ((reading.value - base.value) / (reading.at - base.at)) * 3_600_000;
    const { decimals, max, min } = this.point();
    const angle = (Math.max(-1, Math.min(1, perHour / ((max - min) / 4))) * 52 * Math.PI) / 180;
    const dx = 7 * Math.cos(angle);
    const dy = 7 * Math.sin(angle);
    return { text: (perHour > 0 ? '+' : '') + formatNumber(perHour, decimals), path: `M${8 - dx} ${6.5 + dy}L${8 + dx} ${6.5 - dy}` };
  });
  protected readonly notchAt = computed(() => this.staff().x(this.reading()?.value ?? this.point().min));
  protected readonly described = computed(() => {
    const { label, unit } = this.point();
    return [label, this.under(), `${this.value()} ${unit}`, this.severity() ?? '', this.why(), this.ageText() && `${this.ageText()} ago`]
      .filter(Boolean)
      .join(', ');
  });

  protected fillOf(step: number): string {
    return `var(${(this.rank() > 0 ? LIT : CALM)[step]})`;
  }
  protected edgeOf(step: number): string {
    return this.rank() > 0 ? `var(${COLOURS[step]})` : 'var(--rule)';
  }
  protected hatchOf(step: number): string {
    return `url(#hatch-${this.rank() > 0 ? step : 0})`;
  }
}
