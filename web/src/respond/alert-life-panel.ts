import { alertLife, type Alert, type AlertEntry, type AlertLife } from '@dewpost/contract';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, resource, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { selectTimezone } from '../data/selectors';
import { saidAbout } from '../parts/said';
import { dayAndTime } from '../parts/times';
import { bodyOf, placeProblem, zodForm } from '../parts/zod-forms';

type Kind = Exclude<AlertEntry['kind'], 'life'>;
const KINDS: readonly (readonly [kind: Kind, words: string])[] = [
  ['cause', 'why it came'],
  ['remedy', 'what was done'],
  ['note', 'a note'],
];
const WORDS: Readonly<Record<AlertEntry['kind'], string>> = { life: '', cause: 'why it came', remedy: 'done', note: 'note' };

/** What happened to an alert and what was written down of it, what the last ones like it came from, and a line to write the next down. */
@Component({
  selector: 'dp-alert-life-panel',
  imports: [MatButton, MatFormFieldModule, MatInput, MatSelectModule, ReactiveFormsModule],
  templateUrl: './alert-life-panel.html',
  styleUrl: './alert-life-panel.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class AlertLifePanel {
  private readonly api = inject(Api);
  private readonly zone = inject(Store).selectSignal(selectTimezone);
  readonly alert = input.required<Alert>();
  protected readonly kinds = KINDS;
  /** Read again as the alert changes: it was seen, or has cleared. */
  private readonly read = resource({
    params: () => this.alert(),
    loader: ({ params: { id } }) => this.api.call(alertLife.read, { params: { id } }),
  });
  protected readonly life = linkedSignal<AlertLife | null, AlertLife | null>({
    source: () => (this.read.hasValue() ? this.read.value() : null),
    computation: (next, before) => next ?? before?.value ?? null,
  });
  protected readonly failed = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly form = zodForm(alertLife.write.body, { kind: 'cause' as Kind, text: '' });
  protected readonly saidOf = saidAbout;
  protected readonly busy = signal(false);
  protected readonly problem = signal<string | null>(null);

  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  protected said({ kind, text, by }: AlertEntry): string {
    return [WORDS[kind], text].filter(Boolean).join(': ') + (by === null ? '' : `, ${by}`);
  }
  protected lastTime({ cause, remedy, trippedAt, clearedAt }: Alert): string {
    const lasted = clearedAt === null ? '' : `, for ${formatDuration(clearedAt - trippedAt)}`;
    const words = [cause === null ? '' : `it came from: ${cause}`, remedy === null ? '' : `done: ${remedy}`].filter(Boolean).join('; ');
    return `${this.when(trippedAt)}${lasted}: ${words}`;
  }

  protected async write(): Promise<void> {
    const body = bodyOf(this.form, alertLife.write.body);
    if (!body) return;
    this.busy.set(true);
    this.problem.set(null);
    try {
      this.life.set(await this.api.call(alertLife.write, { params: { id: this.alert().id }, body }));
      this.form.controls.text.reset('');
    } catch (error) {
      // What was typed stays.
      this.problem.set(placeProblem(this.form, error));
    }
    this.busy.set(false);
  }
}
