import { respond, type Point, type Relay } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialogClose, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { X } from 'lucide';
import { Api } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allPoints } from '../../data/reducers';
import { ChangedMeanwhile, differences } from '../../parts/changed-meanwhile';
import { useIcons } from '../../parts/icons';
import { NumberField } from '../../parts/number-field';
import { addItem, bodyOf, draftOf, saying, setItems, zodForm } from '../../parts/zod-forms';
import { KeptOfRelay } from '../kept-of-relay';
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
  protected readonly kept = new KeptOfRelay(this.asked.limits, ({ limits }) => limits);
  protected readonly rows = computed(() => {
    const theirs = this.kept.beaten();
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
    addItem(this.form.controls.forbids, { point: null, side: 'high', setpoint: null });
  }
  protected takeTheirs(): void {
    const theirs = this.kept.takeTheirs();
    if (!theirs) return;
    const draft = draftOfLimits(theirs);
    setItems(this.form.controls.forbids, draft.forbids);
    this.form.reset(draft);
  }
  protected keepMine(): Promise<void> {
    this.kept.overTheirs();
    return this.keep();
  }
  protected async keep(): Promise<void> {
    const draft = bodyOf(this.form, limitsForm);
    const params = { id: this.point.id };
    const send = draft && ((from: number) => this.api.call(respond.setLimits, { params, body: { ...limitsOfDraft(draft), from } }));
    if (await this.kept.keep(this.form, send)) this.ref.close();
  }
}
