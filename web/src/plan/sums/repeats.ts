import { plan } from '@dewpost/contract';
import { REPEAT_AFTER_MS, sendGaps } from '@dewpost/core/leaf';
import { formatNumber } from '@dewpost/core/quantity';
import { answeredDelivery, burstDelivery, burstyDelivery } from '@dewpost/core/radio';
import { burstSchema } from '@dewpost/core/wire';
import { ChangeDetectionStrategy, Component, computed, effect, inject, resource, signal, untracked } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Store } from '@ngrx/store';
import * as z from 'zod';
import { Api, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { NumberField } from '../../parts/number-field';
import { PlainTable, type PlainColumn } from '../../parts/plain-table';
import { bodyOf, draftOf, lastValid, zodForm } from '../../parts/zod-forms';

/** Waits before a leaf sends again, s. */
const WAITS = REPEAT_AFTER_MS.map((ms) => ms / 1000);
const REPEATS = [1, 2, 3, 4, 6, 10];
const COLUMNS: readonly PlainColumn[] = [
  { id: 'sends', label: 'Sends', kind: 'head' },
  { id: 'alone', label: 'Losses alone', kind: 'figure' },
  { id: 'bursty', label: 'In bursts of 2 s', kind: 'figure' },
  { id: 'crowded', label: 'All within 0.1 s', kind: 'figure' },
];
const schema = z.object({ loss: z.number().min(1).max(95), spacing: z.number().min(0.01).max(60) });

/** What arrives of what is sent more than once, and how leaves are to send to their gateway. */
@Component({
  selector: 'dp-repeats',
  imports: [MatButton, NumberField, PlainTable],
  template: `
    <h2>Repeating what nobody answers</h2>
    <p class="asks">
      <dp-number-field label="Loss" unit="%" [control]="form.controls.loss" [min]="1" [max]="95" />
      <dp-number-field label="spaced" unit="s" [control]="form.controls.spacing" [min]="0.01" [max]="60" />
    </p>
    <dp-plain-table caption="What arrives, by how often it is sent" [quietCaption]="true" [columns]="columns" [rows]="delivery()" />
    <p>
      Until answered: <b class="mono">{{ percent(answered().alone) }}</b> of what is lost alone,
      <b class="mono">{{ percent(answered().chance) }}</b> in bursts, {{ number(answered().sends, 2) }} sends on average.
    </p>
    @if (readBurst.hasValue()) {
      <h2>How leaves send to their gateway</h2>
      <p class="asks">
        <dp-number-field fieldId="burst-count" label="Copies" [control]="burst.controls.count" [min]="1" [max]="20" />
        <dp-number-field fieldId="burst-apart" label="apart" unit="ms" [control]="burst.controls.spacingMs" [min]="1" [max]="1000" />
        @if (maker()) {
          <button matButton="outlined" type="button" [disabled]="!changed()" (click)="keep()">Plan it so</button>
        }
      </p>
      @if (leafDelivery(); as arrives) {
        <p>
          Until answered, with repeats after 0.1, 1 and 10 s: <b class="mono">{{ percent(arrives.chance) }}</b> arrive,
          <span class="mono">{{ number(arrives.sends, 2) }}</span> sends on average.
        </p>
      }
      @if (outcome(); as words) {
        <p class="said" [class.note]="!words.bad" [attr.role]="words.bad ? 'alert' : 'status'">{{ words.text }}</p>
      }
    }
    <p class="quiet note">
      Ten copies in a tenth of a second share one fade. An answer, and repeats after 0.1, 1 and 10 s, do better with fewer.
    </p>
  `,
  styleUrl: './part.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Repeats {
  private readonly api = inject(Api);
  private readonly me = inject(Store).selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly columns = COLUMNS;
  protected readonly form = zodForm(schema, { loss: 30, spacing: 1 });
  private readonly typed = lastValid(this.form, schema);
  private readonly loss = computed(() => this.typed().loss / 100);
  protected readonly delivery = computed(() =>
    REPEATS.map((sends) => ({
      sends: String(sends),
      alone: this.percent(burstDelivery(this.loss(), sends)),
      bursty: this.percent(burstyDelivery(this.loss(), 2, sends, this.typed().spacing)),
      crowded: this.percent(burstyDelivery(this.loss(), 2, sends, 0.01)),
    })),
  );
  protected readonly answered = computed(() => ({
    alone: 1 - this.loss() ** (WAITS.length + 1),
    ...answeredDelivery(this.loss(), 2, WAITS),
  }));

  protected readonly readBurst = resource({ loader: () => this.api.call(plan.leafBurst, {}) });
  protected readonly burst = zodForm(burstSchema, { count: 1, spacingMs: 1 });
  private readonly burstTyped = lastValid(this.burst, burstSchema);
  private readonly burstDraft = draftOf(this.burst);
  protected readonly changed = computed(() => {
    this.burstDraft();
    return this.burst.dirty;
  });
  protected readonly leafDelivery = computed(() =>
    this.readBurst.hasValue() ? answeredDelivery(this.loss(), 2, sendGaps(this.burstTyped())) : null,
  );
  protected readonly outcome = signal<{ text: string; bad: boolean } | null>(null);

  constructor() {
    effect(() => {
      if (!this.readBurst.hasValue()) return;
      const planned = this.readBurst.value();
      untracked(() => this.burst.reset(planned));
    });
  }

  protected async keep(): Promise<void> {
    const burst = bodyOf(this.burst, burstSchema);
    if (!burst) return;
    try {
      const { leaves } = await this.api.call(plan.setLeafBurst, { body: burst });
      this.burst.markAsPristine();
      this.outcome.set({
        text: leaves.length === 0 ? 'Planned. No leaf follows it yet.' : `Planned. Write ${leaves.join(', ')} again to tell them.`,
        bad: false,
      });
    } catch (error) {
      this.outcome.set({ text: messageOf(error), bad: true });
    }
  }
  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
  protected percent(value: number): string {
    return value > 0.9999 ? 'over 99.99 %' : `${formatNumber(value * 100, value > 0.99 ? 2 : 1)} %`;
  }
}
