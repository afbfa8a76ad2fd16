import { newReferenceSchema, references, type NewReference, type Reference } from '@dewpost/contract';
import { counted, formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatTableModule } from '@angular/material/table';
import { Store } from '@ngrx/store';
import { DateTime } from 'luxon';
import * as z from 'zod';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { Clock } from '../parts/clock';
import { DayField } from '../parts/day-field';
import { NumberField } from '../parts/number-field';
import { dateOnly } from '../parts/times';
import { askBeforeClosing, type HoldsUnsaved } from '../parts/unsaved';
import { placeProblem, saying, zodForm, type Draft, type Finding } from '../parts/zod-forms';
import { CalibratePages } from './calibrate-pages';

const shape = newReferenceSchema.shape;
const day = z.custom<DateTime>((given) => given instanceof DateTime && given.isValid, 'a day as 2026-11-27').nullable();
const referenceForm = z.object({
  ...{
    name: shape.name,
    unit: shape.unit,
    low: shape.low,
    high: shape.high,
    uncertainty: shape.uncertainty,
    certificate: shape.certificate,
  },
  certified: day,
  due: day,
});
type ReferenceDraft = Draft<typeof referenceForm>;
const EMPTY: ReferenceDraft = {
  ...{ name: '', unit: '°C', low: null, high: null, uncertainty: null, certificate: '', certified: null, due: null },
};

/** Instruments that sensors are compared with: what each shows, how sure it is, by which certificate, and when it is due itself. */
@Component({
  selector: 'dp-references-page',
  imports: [CalibratePages, DayField, MatButton, MatFormFieldModule, MatInput, MatTableModule, NumberField, ReactiveFormsModule],
  templateUrl: './references-page.html',
  styleUrl: './references-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ReferencesPage implements HoldsUnsaved {
  private readonly api = inject(Api);
  private readonly clock = inject(Clock);
  private readonly store = inject(Store);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly isMaker = computed(() => this.me()?.role === 'maker');
  protected readonly columns = ['name', 'shows', 'uncertainty', 'certificate', 'due', 'used', 'tools'];
  protected readonly read = resource({ loader: () => this.api.call(references.list, {}) });
  protected readonly rows = computed(() => (this.read.hasValue() ? this.read.value() : null));
  protected readonly failed = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly summary = computed(() => {
    const rows = this.rows() ?? [];
    const late = rows.filter((row) => this.isLate(row)).length;
    return `${counted(rows.length, 'instrument')}${late > 0 ? `, ${late} past its day` : ''}`;
  });
  /** The instrument whose certificate is being renewed; 0: a new one; `null`: none is edited. */
  protected readonly editing = signal<number | null>(null);
  protected readonly asking = signal<number | null>(null);
  protected readonly form = zodForm(referenceForm, EMPTY, { check: referenceFindings });
  protected readonly saidOf = saying(this.form);
  protected readonly problem = signal<string | null>(null);
  protected readonly busy = signal(false);

  constructor() {
    askBeforeClosing(() => this.unsaved());
  }

  unsaved(): string | null {
    return this.editing() !== null && this.form.dirty ? 'What you typed of an instrument' : null;
  }
  protected isLate({ dueAt }: Reference): boolean {
    return dueAt !== null && dueAt < this.clock.now();
  }
  protected shows({ low, high, unit }: Reference): string {
    return `${low} to ${high} ${unit}`.trim();
  }
  protected sure({ uncertainty, unit }: Reference): string {
    return `± ${uncertainty} ${unit}`.trim();
  }
  protected due(row: Reference): string {
    if (row.dueAt === null) return 'nobody has said';
    return `${this.isLate(row) ? 'overdue since ' : ''}${dateOnly(row.dueAt, this.zone())}`;
  }
  protected used({ used }: Reference): string {
    return used === 0 ? '' : formatNumber(used);
  }
  protected edit(row: Reference | null): void {
    this.problem.set(null);
    this.editing.set(row?.id ?? 0);
    const on = (at: number | null): DateTime | null => (at === null ? null : DateTime.fromMillis(at, { zone: this.zone() }));
    this.form.reset(row ? { ...row, certified: on(row.certifiedAt), due: on(row.dueAt) } : EMPTY);
  }
  protected leave(): void {
    this.editing.set(null);
    this.form.reset(EMPTY);
  }
  protected async keep(): Promise<void> {
    this.form.markAllAsTouched();
    const body = this.body();
    const id = this.editing();
    if (!body || id === null) {
      this.problem.set('Not kept: see the fields.');
      return;
    }
    this.busy.set(true);
    try {
      if (id === 0) await this.api.call(references.add, { body });
      else await this.api.call(references.renew, { params: { id }, body });
      this.leave();
      this.problem.set(null);
      this.read.reload();
    } catch (error) {
      this.problem.set(placeProblem(this.form, error) ?? 'Not kept: see the fields.');
    }
    this.busy.set(false);
  }
  protected async retire({ id }: Reference): Promise<void> {
    try {
      await this.api.call(references.retire, { params: { id } });
      this.asking.set(null);
    } catch (error) {
      this.problem.set(messageOf(error));
    }
    this.read.reload();
  }
  protected again(): void {
    this.read.reload();
  }
  private body(): NewReference | null {
    const result = this.form.valid ? newReferenceSchema.safeParse(bodyOfDraft(this.form.getRawValue(), this.zone())) : null;
    return result?.success ? result.data : null;
  }
}

function bodyOfDraft({ certified, due, ...rest }: ReferenceDraft, zone: string): object {
  const at = (date: DateTime | null): number | null =>
    date && DateTime.fromObject({ year: date.year, month: date.month, day: date.day }, { zone }).toMillis();
  return { ...rest, certifiedAt: at(certified), dueAt: at(due) };
}

/** What no single field knows, by the contract's own word: a range that is none, a day due before it was looked at. */
function referenceFindings(draft: ReferenceDraft): Finding[] {
  const { success, error } = newReferenceSchema.safeParse(bodyOfDraft(draft, 'UTC'));
  if (success) return [];
  return error.issues
    .filter(({ code }) => code === 'custom')
    .map(({ path, message }) => ({ path: path[0] === 'dueAt' ? ['due'] : (path as string[]), message }));
}
