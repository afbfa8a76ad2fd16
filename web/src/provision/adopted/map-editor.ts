import { mapEntrySchema } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, effect, input, output, untracked } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import * as z from 'zod';
import { NumberField } from '../../parts/number-field';
import { bodyOf, saying, zodForm } from '../../parts/zod-forms';
import { lineOf, textsOf, type DraftEntry } from './heard-rows';

const { point, unit } = mapEntrySchema.shape;
/** What is asked of one value: the same rules as the server's, all of it filled in. */
const entryForm = z
  .object({
    point,
    label: z.string().trim().min(1, 'say what it is').max(60),
    unit,
    factor: mapEntrySchema.shape.factor.unwrap(),
    offset: mapEntrySchema.shape.offset.unwrap(),
    texts: z
      .string()
      .max(400)
      .superRefine((line, context) => {
        const read = textsOf(line);
        if (typeof read === 'string') context.addIssue(read);
      }),
    min: z.number().min(-1e9).max(1e9),
    max: z.number().min(-1e9).max(1e9),
  })
  .refine(({ min, max }) => max > min, { message: 'above where it begins', path: ['max'] });

/** What one value of a message means: the point, its unit, factor and offset, and numbers for texts. */
@Component({
  selector: 'dp-map-editor',
  imports: [MatButton, MatFormFieldModule, MatInput, NumberField, ReactiveFormsModule],
  template: `<form class="fields" [formGroup]="form" (ngSubmit)="keep()">
    <mat-form-field class="mono">
      <mat-label>Point</mat-label>
      <input matInput id="m-point" formControlName="point" maxlength="48" autocomplete="off" />
      <mat-error>{{ problemOf(form.controls.point) }}</mat-error>
    </mat-form-field>
    <mat-form-field>
      <mat-label>What it is</mat-label>
      <input matInput id="m-label" formControlName="label" maxlength="60" autocomplete="off" placeholder="Oven, top" />
      <mat-error>{{ problemOf(form.controls.label) }}</mat-error>
    </mat-form-field>
    <mat-form-field class="few">
      <mat-label>Unit</mat-label>
      <input matInput id="m-unit" formControlName="unit" maxlength="16" autocomplete="off" placeholder="°C" />
      <mat-error>{{ problemOf(form.controls.unit) }}</mat-error>
    </mat-form-field>
    <dp-number-field class="few" label="× factor" [control]="form.controls.factor" />
    <dp-number-field class="few" label="+ offset" [control]="form.controls.offset" />
    <dp-number-field class="few" label="Shown from" [control]="form.controls.min" />
    <dp-number-field class="few" label="to" [control]="form.controls.max" />
    <mat-form-field class="texts">
      <mat-label>Texts and their numbers</mat-label>
      <input matInput id="m-texts" formControlName="texts" autocomplete="off" placeholder="shut 0, open 1" />
      <mat-error>{{ problemOf(form.controls.texts) }}</mat-error>
    </mat-form-field>
    <button matButton="filled" type="submit">Tie it</button>
    @if (tied()) {
      <button matButton="outlined" type="button" (click)="leftOut.emit()">Leave it out</button>
    }
    <button matButton="outlined" type="button" (click)="closed.emit()">Close</button>
  </form>`,
  styles: `
    .fields {
      display: flex;
      flex-wrap: wrap;
      align-items: start;
      gap: 12px;
      padding: 14px 16px 6px;
    }
    mat-form-field {
      width: 170px;
    }
    .few {
      width: 104px;
    }
    .texts {
      width: 280px;
    }
    button {
      margin-top: 4px;
    }
    @media (max-width: 899px) {
      mat-form-field,
      .texts {
        width: 100%;
      }
      .few {
        width: calc(50% - 6px);
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class MapEditor {
  readonly entry = input.required<DraftEntry>();
  /** Is it in the map already? */
  readonly tied = input(false);
  readonly kept = output<DraftEntry>();
  readonly leftOut = output<void>();
  readonly closed = output<void>();
  protected readonly form = zodForm(entryForm, { point: '', label: '', unit: '', factor: 1, offset: 0, texts: '', min: 0, max: 100 });
  protected readonly problemOf = saying(this.form);

  constructor() {
    effect(() => {
      const { texts, point: name, label, unit: words, factor, offset, min, max } = this.entry();
      untracked(() => this.form.reset({ point: name, label, unit: words, factor, offset, texts: lineOf(texts), min, max }));
    });
  }

  protected keep(): void {
    const body = bodyOf(this.form, entryForm);
    const texts = body && textsOf(body.texts);
    if (!body || typeof texts === 'string' || texts === null) return;
    const { topic, pointer } = this.entry();
    this.kept.emit({ ...body, topic, pointer, texts });
  }
}
