import { respond, type MessagePreview } from '@dewpost/contract';
import type { ReadBy } from '@dewpost/core/alarm';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggle, MatButtonToggleGroup } from '@angular/material/button-toggle';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import type * as z from 'zod';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { allPoints } from '../../data/reducers';
import { PointPicker } from '../../parts/point-picker';
import type { WhatFollows } from './what-follows';

const BY: Readonly<Record<ReadBy, string>> = {
  handset: 'handset',
  mail: 'mail',
  push: 'pushed',
  node: 'said by a node',
  webhook: 'webhook',
};

/** What a rule says and to whom: in words of its own, written once, and how they read by each way. */
@Component({
  selector: 'dp-rule-says',
  imports: [MatButton, MatButtonToggle, MatButtonToggleGroup, MatFormFieldModule, MatInput, MatSelectModule, PointPicker],
  template: `
    @if (what().alerts()) {
      <mat-form-field>
        <mat-label>What its alert says, if you like</mat-label>
        <textarea
          matInput
          #alert
          id="t-words-alert"
          rows="2"
          maxlength="500"
          [value]="what().wordsAlert()"
          (input)="say(alert.value)"
        ></textarea>
        <mat-hint>{{ placeholders }}</mat-hint>
      </mat-form-field>
      <dp-point-picker
        clears
        inputId="t-put-in"
        label="Put in what another point reads"
        [points]="points()"
        (picked)="putIn($event, alert)"
      />
      @if (ways().length > 0) {
        <mat-form-field>
          <mat-label>Who is told</mat-label>
          <mat-select
            multiple
            id="t-route"
            placeholder="as its severity is routed"
            [value]="what().route() ?? []"
            (selectionChange)="what().route.set($event.value.length > 0 ? $event.value : null)"
          >
            @for (way of ways(); track way.id) {
              <mat-option [value]="way.id">{{ way.name }}</mat-option>
            }
          </mat-select>
          <mat-hint>None chosen: as Routes has it for its severity. Some: the handset and those, at once and once.</mat-hint>
        </mat-form-field>
      }
      <button matButton="outlined" class="small" type="button" (click)="preview()">As it will read</button>
      @if (problem(); as words) {
        <p class="said" role="alert">{{ words }}</p>
      }
      @if (read(); as said) {
        <div class="read" role="status">
          <mat-button-toggle-group [value]="by()" (change)="by.set($event.value)" hideSingleSelectionIndicator aria-label="By which way">
            @for (one of said.reads; track one.by) {
              <mat-button-toggle [value]="one.by">{{ nameOf(one.by) }}</mat-button-toggle>
            }
          </mat-button-toggle-group>
          @if (shown(); as it) {
            @if (it.head) {
              <b>{{ it.head }}</b>
            }
            <p [class.mono]="it.by === 'webhook'">{{ it.body }}</p>
          }
          <p class="quiet">At its limit, with what the other points read now. By the same code that sends.</p>
        </div>
      }
    }
    @if (what().notices()) {
      <mat-form-field>
        <mat-label>Words at the trip, if you like</mat-label>
        <input
          matInput
          #trip
          id="t-words-trip"
          maxlength="200"
          autocomplete="off"
          [value]="what().wordsTrip()"
          (input)="what().wordsTrip.set(trip.value)"
        />
        <mat-hint>{{ placeholders }}</mat-hint>
      </mat-form-field>
      <mat-form-field>
        <mat-label>Words when it is over</mat-label>
        <input
          matInput
          #over
          id="t-words-clear"
          maxlength="200"
          autocomplete="off"
          [value]="what().wordsClear()"
          (input)="what().wordsClear.set(over.value)"
        />
        <mat-hint>Words for one of the two only: only that one is told.</mat-hint>
      </mat-form-field>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 12px;
      justify-items: start;
      padding-top: 6px;
    }
    mat-form-field {
      width: 100%;
    }
    .read {
      display: grid;
      gap: 6px;
      justify-items: start;
      padding-left: 12px;
      border-left: 2px solid var(--rule);
    }
    .read p {
      margin: 0;
      white-space: pre-wrap;
      overflow-wrap: anywhere;
    }
    mat-button-toggle-group {
      flex-wrap: wrap;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RuleSays {
  private readonly api = inject(Api);
  readonly what = input.required<WhatFollows>();
  /** The rule as it is typed now; a fault in words where it is none yet. */
  readonly ruleOf = input.required<() => z.input<typeof respond.previewThreshold.body> | string>();
  private readonly list = resource({ loader: () => this.api.call(respond.ways, {}) });
  protected readonly ways = computed(() => (this.list.hasValue() ? this.list.value() : []));
  protected readonly placeholders = '{value} {unit} {limit} {point} {node} {room} {since} {battery}, and {node/point} for another point';
  protected readonly points = inject(Store).selectSignal(allPoints.selectAll);
  protected readonly problem = signal<string | null>(null);
  protected readonly read = signal<MessagePreview | null>(null);
  protected readonly by = signal<ReadBy>('handset');
  protected readonly shown = computed(() => this.read()?.reads.find(({ by }) => by === this.by()) ?? null);

  protected nameOf(by: ReadBy): string {
    return BY[by];
  }
  /** What was read of other words is read no more. */
  protected say(words: string): void {
    this.what().wordsAlert.set(words);
    this.read.set(null);
  }
  /** The place of another point, where somebody is writing. */
  protected putIn(id: number, field: HTMLTextAreaElement): void {
    const point = this.points().find((one) => one.id === id);
    if (!point) return;
    field.setRangeText(`{${point.node}/${point.name}}`, field.selectionStart, field.selectionEnd, 'end');
    this.say(field.value);
    field.focus();
  }
  protected async preview(): Promise<void> {
    const body = this.ruleOf()();
    this.problem.set(typeof body === 'string' ? body : null);
    if (typeof body === 'string') return;
    try {
      this.read.set(await this.api.call(respond.previewThreshold, { body }));
    } catch (error) {
      this.read.set(null);
      this.problem.set(messageOf(error));
    }
  }
}
