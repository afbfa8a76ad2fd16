import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormControl, ReactiveFormsModule } from '@angular/forms';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatDialog } from '@angular/material/dialog';
import { MatExpansionModule } from '@angular/material/expansion';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatMenuModule } from '@angular/material/menu';
import { MatProgressBar } from '@angular/material/progress-bar';
import { MatRadioModule } from '@angular/material/radio';
import { MatSliderModule } from '@angular/material/slider';
import { MatSnackBar } from '@angular/material/snack-bar';
import { MatTooltip } from '@angular/material/tooltip';
import { Plus, X } from 'lucide';
import * as z from 'zod';
import { ChangedMeanwhile } from '../parts/changed-meanwhile';
import { ChoiceField } from '../parts/choice-field';
import { FileButton } from '../parts/file-button';
import { useIcons } from '../parts/icons';
import { MoreTools } from '../parts/more-tools';
import { NumberField } from '../parts/number-field';
import { PlainTable } from '../parts/plain-table';
import { SeverityGlyph } from '../parts/severity-glyph';
import { StateGlyph } from '../parts/state-glyph';
import { UnsavedDialog } from '../parts/unsaved';
import { TextField, ValueField } from '../parts/value-field';
import { zodControl } from '../parts/zod-forms';

const LONG = 'A name that somebody has given with all its words, and one more';

/** Every control in every state, to be compared by eye in both themes. In development only. */
@Component({
  selector: 'dp-style',
  imports: [
    ChangedMeanwhile,
    ChoiceField,
    FileButton,
    MatButton,
    MatButtonToggleModule,
    MatCheckbox,
    MatExpansionModule,
    MatFormFieldModule,
    MatIcon,
    MatIconButton,
    MatInput,
    MatMenuModule,
    MatProgressBar,
    MatRadioModule,
    MatSliderModule,
    MatTooltip,
    MoreTools,
    NumberField,
    PlainTable,
    ReactiveFormsModule,
    SeverityGlyph,
    StateGlyph,
    TextField,
    ValueField,
  ],
  templateUrl: './style.html',
  styles: `
    .main {
      padding: 12px 16px 24px 56px;
    }
    h2 {
      padding: 16px 0 8px;
    }
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 12px;
      align-items: start;
    }
    .row > :is(mat-form-field, dp-number-field, dp-value-field, dp-text-field, dp-choice-field) {
      width: 170px;
    }
    mat-slider {
      width: 200px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class StylePage {
  private readonly dialogs = inject(MatDialog);
  private readonly notices = inject(MatSnackBar);
  protected readonly long = LONG;
  protected readonly marks = ['live', 'late', 'silent', 'planned', 'writing', 'stopped'] as const;
  protected readonly severities = ['advisory', 'warning', 'critical'] as const;
  protected readonly choices = [
    { value: 'a', words: 'the first' },
    { value: 'b', words: LONG },
    { value: 'c', words: 'not now', disabled: true },
  ];
  protected readonly chosen = signal('a');
  protected readonly free = new FormControl<number | null>(12);
  protected readonly wrong = zodControl(z.number().max(10), 99);
  protected readonly off = new FormControl<number | null>({ value: 3, disabled: true });
  protected readonly columns = [
    { id: 'what', label: 'What', kind: 'head' },
    { id: 'figure', label: 'Figure', kind: 'figure' },
    { id: 'words', label: 'Words', kind: 'words' },
  ] as const;
  protected readonly rows = [
    { what: 'short', figure: '12.5', words: 'direct' },
    { what: LONG, figure: '1 234.56', words: 'מבוא מימין לשמאל' },
  ];
  protected readonly apart = [{ what: 'limit', mine: '12', theirs: '14' }];

  constructor() {
    useIcons({ plus: Plus, x: X });
    this.wrong.markAsTouched();
  }
  protected dialog(): void {
    this.dialogs.open(UnsavedDialog, { data: LONG, width: '420px', backdropClass: 'scrim', ariaLabelledBy: 'dialog-title' });
  }
  protected notice(): void {
    this.notices.open('Something came of it.', 'Close', { duration: 8000 });
  }
}
