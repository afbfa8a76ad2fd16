import { csvReplySchema, respond, type CsvReply } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { messageOf } from '../data/api';
import { FileButton } from '../parts/file-button';
import { PlainTable, type PlainColumn } from '../parts/plain-table';

const COLUMNS: readonly PlainColumn[] = [
  { id: 'line', label: 'Line', kind: 'figure' },
  { id: 'what', label: 'What', kind: 'words' },
  { id: 'text', label: 'Rule', kind: 'words' },
];

/** Rules as a table: out for a spreadsheet, in again, with a look at what would change before anything does. */
@Component({
  selector: 'dp-rules-table',
  imports: [FileButton, MatButton, PlainTable],
  template: `<div class="do">
      <a matButton="outlined" [href]="address" download="rules.csv">Rules as CSV</a>
      <dp-file-button label="Take a CSV in" accept=".csv,text/csv" (taken)="look($event)" />
      @if (said(); as words) {
        <span class="said-inline" [class.bad]="words.bad" [attr.role]="words.bad ? 'alert' : 'status'">{{ words.text }}</span>
      }
    </div>
    @if (seen(); as reply) {
      <section aria-labelledby="rules-would">
        <h2 id="rules-would">{{ words() }}</h2>
        @if (rows().length > 0) {
          <dp-plain-table caption="What the table would change" [quietCaption]="true" [pairs]="true" [columns]="columns" [rows]="rows()" />
        }
        <p class="do">
          @if (changed() > 0 && refused() === 0) {
            <button matButton="filled" type="button" [disabled]="busy()" (click)="take()">Put {{ changed() }} in force</button>
          }
          <button matButton="outlined" type="button" (click)="leave()">Leave it</button>
        </p>
      </section>
    }`,
  styles: `
    :host {
      display: block;
      padding: 10px 16px 10px 56px;
    }
    .do {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: center;
    }
    h2 {
      padding: 12px 0 6px;
    }
    .bad {
      color: var(--carmine);
    }
    @media (max-width: 899px) {
      :host {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RulesTable {
  protected readonly address = respond.thresholdsCsv.path;
  protected readonly columns = COLUMNS;
  private readonly text = signal('');
  protected readonly seen = signal<CsvReply | null>(null);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly busy = signal(false);
  protected readonly changed = computed(() => this.count('changed'));
  protected readonly refused = computed(() => this.count('refused'));
  protected readonly rows = computed(() =>
    (this.seen()?.changes ?? [])
      .filter(({ what }) => what !== 'unchanged')
      .map(({ line, what, text }) => ({ line: String(line), what, text })),
  );
  protected readonly words = computed(() => {
    const same = `${counted(this.count('unchanged'), 'rule')} as before`;
    if (this.refused() > 0) return `${counted(this.refused(), 'row')} cannot be taken, so none is; ${same}`;
    return this.changed() === 0 ? `Nothing would change; ${same}` : `${counted(this.changed(), 'rule')} would change; ${same}`;
  });

  protected async look(file: File): Promise<void> {
    this.text.set(await file.text());
    await this.send(true);
  }
  protected async take(): Promise<void> {
    const changed = this.changed();
    await this.send(false);
    if (this.seen()?.taken !== true) return;
    this.leave();
    this.said.set({ text: `${counted(changed, 'rule')} in force as the table has them.`, bad: false });
  }
  protected leave(): void {
    this.seen.set(null);
    this.text.set('');
  }
  private count(what: CsvReply['changes'][number]['what']): number {
    return (this.seen()?.changes ?? []).filter((one) => one.what === what).length;
  }
  private async send(preview: boolean): Promise<void> {
    this.busy.set(true);
    try {
      const answer = await fetch(`${respond.setThresholdsCsv.path}${preview ? '?preview=true' : ''}`, {
        method: 'PUT',
        headers: { 'content-type': 'text/csv' },
        body: this.text(),
      });
      const reply: unknown = await answer.json();
      const parsed = csvReplySchema.safeParse(reply);
      this.seen.set(parsed.success ? parsed.data : null);
      this.said.set(parsed.success ? null : { text: (reply as { detail?: string }).detail ?? 'It could not be read.', bad: true });
    } catch (error) {
      this.said.set({ text: `Not taken: ${messageOf(error)}`, bad: true });
    }
    this.busy.set(false);
  }
}
