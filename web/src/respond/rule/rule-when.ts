import type { Threshold } from '@dewpost/contract';
import { minuteOfDay, timeOfMinute } from '@dewpost/core/time';
import { ChangeDetectionStrategy, Component, computed, inject, input, model, signal } from '@angular/core';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { nodeNames } from '../../data/node-names';
import { allPoints, allThresholds } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { ruleTitle } from './rule-words';
import { daysWords, WEEKDAYS } from '../timetable/timetable-form';

export type RuleHours = NonNullable<Threshold['hours']>;

/** When a rule is judged, in words; empty: always. */
export function whenWords(hours: Threshold['hours']): string {
  if (!hours) return '';
  const { weekdays, from, to } = hours;
  const times = from === to ? 'all day' : `${timeOfMinute(from)} to ${timeOfMinute(to)}`;
  return `${daysWords([...weekdays].sort((a, b) => a - b))}, ${times}`;
}

const USUAL: RuleHours = { weekdays: [1, 2, 3, 4, 5, 6, 7], from: 6 * 60, to: 22 * 60 };

/** When a rule is judged at all: at some hours only, and not while another stands. */
@Component({
  selector: 'dp-rule-when',
  imports: [MatCheckbox, MatFormFieldModule, MatInput, MatSelectModule],
  template: `
    <mat-checkbox [checked]="hours() !== null" (change)="turn($event.checked)">only at some hours</mat-checkbox>
    @if (hours(); as at) {
      <div class="line">
        <mat-form-field class="days">
          <mat-label>Days</mat-label>
          <mat-select multiple [value]="at.weekdays" (selectionChange)="put({ weekdays: $event.value })">
            <mat-select-trigger>{{ days() }}</mat-select-trigger>
            @for (each of weekdays; track each.day) {
              <mat-option [value]="each.day">{{ each.name }}</mat-option>
            }
          </mat-select>
        </mat-form-field>
        <mat-form-field class="mono few">
          <mat-label>From</mat-label>
          <input matInput #from id="t-hours-from" inputmode="numeric" maxlength="5" [value]="start" (input)="typed('from', from.value)" />
        </mat-form-field>
        <mat-form-field class="mono few">
          <mat-label>to</mat-label>
          <input matInput #to id="t-hours-to" inputmode="numeric" maxlength="5" [value]="end" (input)="typed('to', to.value)" />
          <mat-hint>{{ zone() }}</mat-hint>
        </mat-form-field>
      </div>
      @if (fault(); as words) {
        <p class="said" role="alert">{{ words }}</p>
      } @else {
        <p class="quiet">Judged {{ words() }}; out of that nobody is told of it, and nothing is switched by it.</p>
      }
    }
    @if (others().length > 0) {
      <mat-form-field class="other">
        <mat-label>Not while another rule stands</mat-label>
        <mat-select [value]="unless()" (selectionChange)="unless.set($event.value)" canSelectNullableOptions hideSingleSelectionIndicator>
          <mat-option [value]="null">whatever stands</mat-option>
          @for (other of others(); track other.id) {
            <mat-option [value]="other.id">{{ other.words }}</mat-option>
          }
        </mat-select>
      </mat-form-field>
    }
    @if (hours() !== null || unless() !== null) {
      <p class="quiet">The node does not follow it alone with the link down: it knows neither hours nor other rules.</p>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
    }
    .line {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
    }
    .days {
      width: 130px;
    }
    .few {
      width: 88px;
    }
    p {
      margin: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleWhen {
  private readonly store = inject(Store);
  private readonly nameOf = nodeNames();
  private readonly rules = this.store.selectSignal(allThresholds.selectAll);
  private readonly points = this.store.selectSignal(allPoints.selectEntities);
  protected readonly zone = this.store.selectSignal(selectTimezone);
  /** The rule that is being changed; `null`: a new one. */
  readonly own = input<number | null>(null);
  readonly hours = model<Threshold['hours']>(null);
  readonly unless = model<number | null>(null);
  /** What cannot be used is said here, and nothing is armed by it. */
  readonly fault = model<string | null>(null);
  protected readonly weekdays = WEEKDAYS.map((name, i) => ({ name, day: i + 1 }));
  private readonly text = signal<{ from?: string; to?: string }>({});
  protected readonly days = computed(() => daysWords([...(this.hours()?.weekdays ?? [])].sort((a, b) => a - b)));
  protected readonly words = computed(() => whenWords(this.hours()));
  protected readonly others = computed(() =>
    this.rules()
      .filter(({ id }) => id !== this.own())
      .flatMap((rule) => {
        const on = this.points()[rule.point];
        return on ? [{ id: rule.id, words: `${this.nameOf(on.node)}: ${ruleTitle(rule, on)}` }] : [];
      })
      .sort((a, b) => a.words.localeCompare(b.words)),
  );

  // As it begins: what is typed afterwards is not written over.
  protected get start(): string {
    return this.text().from ?? timeOfMinute(this.hours()?.from ?? USUAL.from);
  }
  protected get end(): string {
    return this.text().to ?? timeOfMinute(this.hours()?.to ?? USUAL.to);
  }
  /** What could not be used is gone with it. */
  protected turn(on: boolean): void {
    this.text.set({});
    this.fault.set(null);
    this.hours.set(on ? USUAL : null);
  }
  protected put(change: Partial<RuleHours>): void {
    const hours = { ...(this.hours() ?? USUAL), ...change };
    this.hours.set(hours);
    this.judge(hours);
  }
  protected typed(which: 'from' | 'to', text: string): void {
    this.text.update((known) => ({ ...known, [which]: text }));
    const minute = minuteOfDay(text);
    if (minute === null) this.fault.set(`“${text}” is no time of day: type it as 06:30.`);
    else this.put({ [which]: minute });
  }
  private judge({ weekdays }: RuleHours): void {
    const bad = Object.values(this.text()).find((text) => minuteOfDay(text) === null);
    this.fault.set(
      bad !== undefined ? `“${bad}” is no time of day: type it as 06:30.` : weekdays.length === 0 ? 'Choose at least one day.' : null,
    );
  }
}
