import type { Point, Threshold } from '@dewpost/contract';
import { computed, signal, type Signal } from '@angular/core';

export type JudgedKind = Threshold['judges']['kind'];

/** What a rule may judge of its point, in the words that people choose it by. */
export const JUDGED_KINDS: readonly { readonly kind: JudgedKind; readonly words: string }[] = [
  { kind: 'value', words: 'its value' },
  { kind: 'band', words: 'its value, outside a band' },
  { kind: 'rate', words: 'how much it changes within a time' },
  { kind: 'count', words: 'how often it comes within a time' },
  { kind: 'silence', words: 'for how long nothing is read' },
  { kind: 'difference', words: 'what it reads above another point' },
  { kind: 'usual', words: 'how far it departs from what is usual at the hour' },
];
/** Kinds that have one side only. */
const ONE_SIDED: readonly JudgedKind[] = ['band', 'count', 'silence'];

type Faulty<T> = { readonly value: T } | { readonly fault: string };

/** What a rule judges, and its second condition, as they are chosen beside its figures. */
export class JudgedDraft {
  readonly kind = signal<JudgedKind>('value');
  readonly low = signal<number | null>(null);
  readonly level = signal<number | null>(null);
  /** Within how many minutes. */
  readonly minutes = signal<number | null>(10);
  readonly other = signal<number | null>(null);
  readonly join = signal<'and' | 'or' | null>(null);
  readonly alsoPoint = signal<number | null>(null);
  readonly alsoSide = signal<'high' | 'low'>('high');
  readonly alsoSetpoint = signal<number | null>(null);
  readonly latching = signal(false);
  readonly oneSided = computed(() => ONE_SIDED.includes(this.kind()));

  /** `null`: a new rule. */
  constructor(
    before: Threshold | null,
    private readonly point: Signal<Point | null>,
  ) {
    if (before) this.take(before);
  }

  /** As this rule has it. */
  take({ judges, also, latching }: Threshold): void {
    this.kind.set(judges.kind);
    if (judges.kind === 'band') this.low.set(judges.low);
    if (judges.kind === 'count') this.level.set(judges.level);
    if (judges.kind === 'rate') this.minutes.set(judges.overSeconds / 60);
    if (judges.kind === 'count') this.minutes.set(judges.withinSeconds / 60);
    if (judges.kind === 'difference') this.other.set(judges.point);
    this.join.set(also?.join ?? null);
    this.alsoPoint.set(also?.point ?? null);
    this.alsoSide.set(also?.side ?? 'high');
    this.alsoSetpoint.set(also?.setpoint ?? null);
    this.latching.set(latching);
  }

  /** What the setpoint is called, and its unit. */
  readonly setpointLabel = computed(
    () =>
      ({
        value: 'Setpoint',
        band: 'Upper end',
        rate: 'Change',
        count: 'How often',
        silence: 'For how long',
        difference: 'Difference',
        usual: 'Departure',
      })[this.kind()],
  );
  readonly setpointUnit = computed(() => {
    if (this.kind() === 'count') return 'times';
    return this.kind() === 'silence' ? 's' : (this.point()?.calibratesTo.unit ?? '');
  });

  /** What is judged; or what is missing to say it. */
  readonly judges = computed((): Faulty<Threshold['judges']> => {
    const [low, level, minutes, other] = [this.low(), this.level(), this.minutes(), this.other()];
    const seconds = Math.round((minutes ?? 0) * 60);
    const within = { fault: 'Type within how many minutes: more than 0, a week at most.' };
    switch (this.kind()) {
      case 'band':
        return low === null ? { fault: 'Type the lower end of the band.' } : { value: { kind: 'band', low } };
      case 'rate':
        return seconds < 1 || seconds > 604_800 ? within : { value: { kind: 'rate', overSeconds: seconds } };
      case 'count':
        if (level === null) return { fault: 'Type the level that it comes to.' };
        return seconds < 1 || seconds > 604_800 ? within : { value: { kind: 'count', level, withinSeconds: seconds } };
      case 'silence':
        return { value: { kind: 'silence' } };
      case 'usual':
        return { value: { kind: 'usual' } };
      case 'difference':
        return other === null ? { fault: 'Choose the point that it is held against.' } : { value: { kind: 'difference', point: other } };
      case 'value':
        return { value: { kind: 'value' } };
    }
  });
  readonly also = computed((): Faulty<Threshold['also']> => {
    const [join, point, setpoint] = [this.join(), this.alsoPoint(), this.alsoSetpoint()];
    if (join === null) return { value: null };
    if (point === null || setpoint === null) return { fault: 'Choose the point of the second condition, and type its setpoint.' };
    return { value: { join, point, side: this.alsoSide(), setpoint } };
  });
  /** The first that is missing; `null`: it is whole. */
  readonly fault = computed(() => {
    const [judges, also] = [this.judges(), this.also()];
    return 'fault' in judges ? judges.fault : 'fault' in also ? also.fault : null;
  });
  /** As the rule takes it; `null` while something is missing. */
  readonly body = computed((): Pick<Threshold, 'judges' | 'also' | 'latching'> | null => {
    const [judges, also] = [this.judges(), this.also()];
    return 'fault' in judges || 'fault' in also ? null : { judges: judges.value, also: also.value, latching: this.latching() };
  });
}
