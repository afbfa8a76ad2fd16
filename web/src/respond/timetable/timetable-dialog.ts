import { respond, type Point } from '@dewpost/contract';
import { formatSpan } from '@dewpost/core/quantity';
import { secondsADay } from '@dewpost/core/time';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogClose, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { X } from 'lucide';
import { Api } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { selectTimezone } from '../../data/selectors';
import { ChangedMeanwhile, differences } from '../../parts/changed-meanwhile';
import { useIcons } from '../../parts/icons';
import { NumberField } from '../../parts/number-field';
import { addItem, draftOf, saying, setItems, zodForm } from '../../parts/zod-forms';
import { KeptOfRelay } from '../kept-of-relay';
import {
  daysWords,
  draftOfTimetable,
  FRESH_LINE,
  lineWords,
  timetableFindings,
  timetableForm,
  timetableOfDraft,
  WEEKDAYS,
  type OutputTimetable,
} from './timetable-form';

interface Asked {
  readonly point: Point;
  readonly timetable: OutputTimetable | null;
}

/** By which times an output runs, and the hours in which rules may switch it: laid down line by line. */
export function openTimetableDialog(dialogs: MatDialog, point: Point, timetable: OutputTimetable | null): void {
  dialogs.open<TimetableDialog, Asked>(TimetableDialog, {
    data: { point, timetable },
    width: '860px',
    maxWidth: '96vw',
    backdropClass: 'scrim',
    ariaLabelledBy: 'dialog-title',
    autoFocus: 'mat-select, .add',
  });
}

@Component({
  selector: 'dp-timetable-dialog',
  imports: [
    ChangedMeanwhile,
    MatButton,
    MatDialogClose,
    MatFormFieldModule,
    MatIcon,
    MatInput,
    MatSelectModule,
    NumberField,
    ReactiveFormsModule,
  ],
  templateUrl: './timetable-dialog.html',
  styleUrl: './timetable-dialog.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class TimetableDialog {
  protected readonly asked = inject<Asked>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<TimetableDialog>>(MatDialogRef);
  private readonly api = inject(Api);
  protected readonly nameOf = nodeNames();
  protected readonly zone = inject(Store).selectSignal(selectTimezone);
  protected readonly point = this.asked.point;
  private readonly guards = this.point.output?.guards;
  protected readonly weekdays = WEEKDAYS.map((name, i) => ({ name, day: i + 1 }));
  protected readonly form = zodForm(timetableForm, draftOfTimetable(this.asked.timetable), {
    check: (draft) => timetableFindings(draft, this.guards?.maxRunSeconds ?? null),
  });
  protected readonly saidOf = saying(this.form);
  private readonly draft = draftOf(this.form);
  protected readonly kept = new KeptOfRelay(this.asked.timetable, ({ timetable }) => timetable);
  protected readonly longest = this.guards?.maxRunSeconds ? `It runs for at most ${formatSpan(this.guards.maxRunSeconds)} at a time.` : '';
  protected readonly sums = computed(() =>
    (timetableOfDraft(this.draft())?.lines ?? []).map((line) => `${lineWords(line)}: ${formatSpan(secondsADay(line))} a day`),
  );
  protected readonly rows = computed(() => {
    const mine = timetableOfDraft(this.draft());
    const theirs = this.kept.beaten();
    const words = (t: Pick<OutputTimetable, 'lines' | 'hours'>): { lines: string[]; hours: unknown } => ({
      lines: t.lines.map(lineWords),
      hours: t.hours,
    });
    return mine && theirs ? differences({ lines: 'Runs', hours: 'Hours' }, words(mine), words(theirs)) : [];
  });

  constructor() {
    useIcons({ x: X });
  }

  protected days(chosen: readonly number[] | null): string {
    return daysWords([...(chosen ?? [])].sort((a, b) => a - b));
  }
  protected add(): void {
    // No longer than it may run at a time.
    const minutes = Math.min(FRESH_LINE.minutes ?? 10, (this.guards?.maxRunSeconds ?? 86_400) / 60);
    addItem(this.form.controls.lines, { ...FRESH_LINE, minutes });
  }
  protected drop(index: number): void {
    this.form.controls.lines.removeAt(index);
  }
  protected takeTheirs(): void {
    const theirs = this.kept.takeTheirs();
    if (!theirs) return;
    const draft = draftOfTimetable(theirs);
    setItems(this.form.controls.lines, draft.lines);
    this.form.reset(draft);
  }
  protected keepMine(): Promise<void> {
    this.kept.overTheirs();
    return this.keep();
  }
  protected async keep(): Promise<void> {
    this.form.markAllAsTouched();
    const body = this.form.valid ? timetableOfDraft(this.form.getRawValue()) : null;
    const params = { id: this.point.id };
    const send = body && ((from: number) => this.api.call(respond.setTimetable, { params, body: { ...body, from } }));
    if (await this.kept.keep(this.form, send)) this.ref.close();
  }
}
