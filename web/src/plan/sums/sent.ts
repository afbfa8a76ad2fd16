import { counted, formatNumber } from '@dewpost/core/quantity';
import { megabytesPerMonth, siteTraffic, withRollups, type Carrier, type Sender } from '@dewpost/core/traffic';
import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import * as z from 'zod';
import { NumberField } from '../../parts/number-field';
import { PlainTable, type PlainColumn } from '../../parts/plain-table';
import { lastValid, zodForm } from '../../parts/zod-forms';

const CARRIERS: readonly Carrier[] = [
  'datagrams',
  'MQTT',
  'MQTT over TLS',
  'HTTP, a connection a post',
  'HTTP over TLS, a connection a post',
];
const COLUMNS: readonly PlainColumn[] = [
  { id: 'how', label: 'How', kind: 'head' },
  { id: 'megabytes', label: 'Megabytes', kind: 'figure' },
];
const schema = z.object({ rawDays: z.number().int().min(1).max(365) });

/** What all nodes together send and store, and what of it crosses a metered link. */
@Component({
  selector: 'dp-sent',
  imports: [NumberField, PlainTable],
  template: `
    <h2>Sent and stored</h2>
    <dl>
      <dt>messages</dt>
      <dd>
        <b class="mono">{{ number(traffic().messagesPerMinute, 1) }}</b> a minute, {{ number(traffic().messagesPerDay) }} a day
      </dd>
      <dt>readings</dt>
      <dd>
        <b class="mono">{{ number(traffic().rowsPerDay) }}</b> rows a day
      </dd>
      <dt>database</dt>
      <dd>
        <b class="mono">{{ number(traffic().megabytesPerYear / 1000, 1) }} GB</b> a year of raw readings; indexes add 0.4 to 1 of it
      </dd>
      <dt>with rollups</dt>
      <dd>
        <b class="mono">{{ number(rolled().megabytesPerYear / 1000, 1) }} GB</b> a year, {{ number(rolled().rowsPerYear / 1e6, 1) }} million
        rows
      </dd>
    </dl>
    <p class="asks">
      <dp-number-field label="Raw kept for" unit="days" [control]="form.controls.rawDays" [min]="1" [max]="365" [step]="1" />
    </p>
    @if (behind().length === 0) {
      <p class="quiet note">No node reaches the site through a gateway: nothing crosses a metered link.</p>
    } @else {
      <dp-plain-table [caption]="metered()" [columns]="columns" [rows]="carriers()" />
      <p class="quiet note">
        Headers and acknowledgements counted, and a keep-alive every 60 s of the gateway alone: its leaves sleep. Some tariffs round up each
        connection.
      </p>
    }
  `,
  styleUrl: './part.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Sent {
  readonly senders = input.required<readonly Sender[]>();
  /** Gateways and what speaks through them: only that crosses a metered link. */
  readonly behind = input.required<readonly Sender[]>();
  protected readonly columns = COLUMNS;
  protected readonly form = zodForm(schema, { rawDays: 90 });
  private readonly typed = lastValid(this.form, schema);
  protected readonly traffic = computed(() => siteTraffic(this.senders()));
  protected readonly rolled = computed(() => withRollups(this.senders(), this.typed().rawDays));
  protected readonly metered = computed(() => `Over the metered link of a gateway, 30 days: ${counted(this.behind().length, 'node')}`);
  protected readonly carriers = computed(() =>
    CARRIERS.map((how) => {
      const megabytes = megabytesPerMonth(this.behind(), how);
      return { how, megabytes: formatNumber(megabytes, megabytes < 10 ? 1 : 0) };
    }),
  );
  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
}
