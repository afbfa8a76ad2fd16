import type { Threshold } from '@dewpost/contract';
import { signal } from '@angular/core';

type Follows = Pick<Threshold, 'consequences' | 'act' | 'words' | 'expects' | 'hours' | 'unless' | 'then' | 'route' | 'proportional'>;

/** What follows from a trip, and when it is judged at all, as it is chosen beside the figures of a rule. */
export class WhatFollows {
  readonly alerts = signal(true);
  readonly notices = signal(false);
  readonly act = signal<'on' | 'off'>('on');
  /** What its control is to move, and within how many minutes; either empty: nobody says. */
  readonly expectBy = signal<number | null>(null);
  readonly expectMinutes = signal<number | null>(null);
  readonly hours = signal<Threshold['hours']>(null);
  readonly unless = signal<number | null>(null);
  /** In proportion: so far from where it clears it runs without a pause, in cycles of so many minutes; no band: all the time. */
  readonly band = signal<number | null>(null);
  readonly cycleMinutes = signal<number | null>(10);
  /** What goes on after its output, in order. */
  readonly then = signal<readonly Threshold['then'][number][]>([]);
  /** Ways that it goes by; `null`: those for its severity. */
  readonly route = signal<number[] | null>(null);
  readonly wordsTrip = signal('');
  readonly wordsClear = signal('');
  /** What its alert says; empty: the usual words. */
  readonly wordsAlert = signal('');

  /** `null`: a new rule. */
  constructor(before: Threshold | null) {
    if (before) this.take(before);
  }

  /** As this rule has it. */
  take({ consequences, act, expects, words, hours, unless, then, route, proportional }: Threshold): void {
    this.band.set(proportional?.band ?? null);
    if (proportional) this.cycleMinutes.set(proportional.cycleSeconds / 60);
    this.route.set(route);
    this.then.set(then);
    this.alerts.set(consequences.includes('alert'));
    this.notices.set(consequences.includes('notice'));
    this.act.set(act);
    this.expectBy.set(expects?.by ?? null);
    this.expectMinutes.set(expects ? expects.withinSeconds / 60 : null);
    this.wordsTrip.set(words?.trip ?? '');
    this.wordsClear.set(words?.clear ?? '');
    this.wordsAlert.set(words?.alert ?? '');
    this.hours.set(hours);
    this.unless.set(unless);
  }

  /** In words, for a rule with an output or without one. */
  words(control: boolean): string {
    if (this.alerts())
      return control ? 'It is switched, and somebody is told and has to acknowledge it.' : 'Somebody is told, and has to acknowledge it.';
    if (this.notices())
      return control
        ? 'It is switched silently, and told as news: nobody has to acknowledge it.'
        : 'Told as news: nobody has to acknowledge it.';
    return control
      ? 'It is switched silently: a line in what happened, and nobody is told.'
      : 'Nothing would follow: choose at least one, or an output.';
  }

  /** As the rule takes it, for this output; `null`: it runs for as long as its rule stands. */
  proportional(output: number | null): Threshold['proportional'] {
    const [band, minutes] = [this.band(), this.cycleMinutes()];
    if (output === null || this.act() === 'off' || band === null || minutes === null) return null;
    return { band, cycleSeconds: Math.round(minutes * 60) };
  }

  /** As the rule takes it; `null`: nothing would follow. */
  body(output: number | null): Follows | null {
    const consequences = [
      ...(this.alerts() ? (['alert'] as const) : []),
      ...(output === null ? [] : (['control'] as const)),
      ...(this.notices() ? (['notice'] as const) : []),
    ];
    if (consequences.length === 0) return null;
    const [trip, clear] = this.notices() ? [this.wordsTrip().trim() || null, this.wordsClear().trim() || null] : [null, null];
    const alert = this.alerts() ? this.wordsAlert().trim() || null : null;
    const [by, minutes] = [this.expectBy(), this.expectMinutes()];
    return {
      consequences,
      act: output === null ? 'on' : this.act(),
      words: trip === null && clear === null && alert === null ? null : { trip, clear, alert },
      expects: output === null || by === null || minutes === null ? null : { by, withinSeconds: minutes * 60 },
      hours: this.hours(),
      unless: this.unless(),
      route: this.route(),
      proportional: this.proportional(output),
      then: output === null || this.act() === 'off' ? [] : [...this.then()],
    };
  }
}
