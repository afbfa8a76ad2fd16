import { relaySchema, respond, type Point, type Relay } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogClose, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { X } from 'lucide';
import { Api, ApiError } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allPoints } from '../../data/reducers';
import { ChangedMeanwhile, differences } from '../../parts/changed-meanwhile';
import { useIcons } from '../../parts/icons';
import { NumberField } from '../../parts/number-field';
import { addItem, bodyOf, draftOf, placeProblem, saying, setItems, zodForm } from '../../parts/zod-forms';
import { draftOfLimits, limitsForm, limitsOfDraft } from './limits-form';

type Limits = NonNullable<Relay['limits']>;
interface Asked {
  readonly point: Point;
  readonly limits: Limits | null;
}
const LABELS = { minutes: 'On for, min', starts: 'Starts', litres: 'Litres', meter: 'Meter', forbids: 'Never while' };

/** What an output may do within a day, and which conditions forbid it. */
export function openLimitsDialog(dialogs: MatDialog, point: Point, limits: Limits | null): void {
  dialogs.open<LimitsDialog, Asked>(LimitsDialog, {
    data: { point, limits },
    width: '760px',
    maxWidth: '96vw',
    backdropClass: 'scrim',
    ariaLabelledBy: 'dialog-title',
    autoFocus: '#l-minutes',
  });
}

@Component({
  selector: 'dp-limits-dialog',
  imports: [ChangedMeanwhile, MatButton, MatDialogClose, MatFormFieldModule, MatIcon, MatSelectModule, NumberField, ReactiveFormsModule],
  templateUrl: './limits-dialog.html',
  styleUrl: '../timetable/timetable-dialog.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LimitsDialog {
  private readonly asked = inject<Asked>(MAT_DIALOG_DATA);
  private readonly ref = inject<MatDialogRef<LimitsDialog>>(MatDialogRef);
  private readonly api = inject(Api);
  private readonly points = inject(Store).selectSignal(allPoints.selectAll);
  protected readonly nameOf = nodeNames();
  protected readonly point = this.asked.point;
  protected readonly form = zodForm(limitsForm, draftOfLimits(this.asked.limits));
  protected readonly saidOf = saying(this.form);
  private readonly draft = draftOf(this.form);
  protected readonly others = computed(() => this.points().filter(({ id }) => id !== this.point.id));
  protected readonly meters = computed(() => this.points().filter(({ unit }) => unit === 'l' || unit === 'm³'));
  protected readonly problem = signal<string | null>(null);
  protected readonly busy = signal(false);
  /** The version that is being edited; 0: there was none. */
  private readonly from = signal(this.asked.limits?.version ?? 0);
  protected readonly beaten = signal<Limits | null>(null);
  protected readonly theirVersion = computed(() => this.beaten()?.version ?? 0);
  protected readonly rows = computed(() => {
    const theirs = this.beaten();
    return theirs ? differences(LABELS, this.draft(), draftOfLimits(theirs)) : [];
  });

  constructor() {
    useIcons({ x: X });
  }

  protected pointName(id: number): string {
    const point = this.points().find((one) => one.id === id);
    return point ? `${point.label}, ${this.nameOf(point.node)}` : 'a point that is gone';
  }
  protected unitOf(id: unknown): string {
    return this.points().find((one) => one.id === id)?.unit ?? '';
  }
  protected add(): void {
    addItem(this.form.controls.forbids, { point: null as unknown as number, side: 'high', setpoint: null as unknown as number });
  }
  protected takeTheirs(): void {
    const theirs = this.beaten();
    if (!theirs) return;
    const draft = draftOfLimits(theirs);
    setItems(this.form.controls.forbids, draft.forbids);
    this.form.reset(draft);
    this.from.set(theirs.version);
    this.beaten.set(null);
  }
  protected keepMine(): Promise<void> {
    this.from.set(this.theirVersion());
    return this.keep();
  }
  protected async keep(): Promise<void> {
    const draft = bodyOf(this.form, limitsForm);
    if (!draft) {
      this.problem.set('Not kept: see the fields.');
      return;
    }
    this.busy.set(true);
    this.problem.set(null);
    try {
      await this.api.call(respond.setLimits, { params: { id: this.point.id }, body: { ...limitsOfDraft(draft), from: this.from() } });
      this.ref.close();
    } catch (error) {
      const theirs = error instanceof ApiError && error.status === 409 ? relaySchema.safeParse(error.current) : null;
      if (theirs?.success && theirs.data.limits) this.beaten.set(theirs.data.limits);
      else this.problem.set(placeProblem(this.form, error) ?? 'Not kept: see the fields.');
    }
    this.busy.set(false);
  }
}
