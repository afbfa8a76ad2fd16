import { plan } from '@dewpost/contract';
import { namesFromPattern } from '@dewpost/core/naming';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { FormControl, FormGroup, ReactiveFormsModule } from '@angular/forms';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatButton } from '@angular/material/button';
import { MatDialogClose, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { MatTableModule } from '@angular/material/table';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { Lock, X } from 'lucide';
import { Api, messageOf } from '../data/api';
import { allNodes, placeFeature } from '../data/reducers';
import { Icon } from '../parts/icon';
import { useIcons } from '../parts/icons';
import { StateGlyph } from '../parts/state-glyph';
import { draftOf } from '../parts/zod-forms';

/** Makes several nodes from one build sheet: names by a pattern with a preview, points and sealed keys follow. */
export function openNewNodes(dialogs: MatDialog): void {
  dialogs.open(NewNodesDialog, {
    width: '928px',
    maxWidth: '96vw',
    backdropClass: 'scrim',
    ariaLabelledBy: 'dialog-title',
    autoFocus: '#n-count',
  });
}

@Component({
  selector: 'dp-new-nodes-dialog',
  imports: [
    Icon,
    MatAutocompleteModule,
    MatButton,
    MatDialogClose,
    MatFormFieldModule,
    MatIcon,
    MatInput,
    MatSelectModule,
    MatTableModule,
    ReactiveFormsModule,
    StateGlyph,
  ],
  templateUrl: './new-nodes.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NewNodesDialog {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly ref = inject<MatDialogRef<NewNodesDialog>>(MatDialogRef);
  private readonly store = inject(Store);
  protected readonly icons = { Lock };
  private readonly nodes = this.store.selectSignal(allNodes.selectIds);
  protected readonly rooms = this.store.selectSignal(placeFeature.selectRooms);
  protected readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  protected readonly known = computed(() => (this.sheets.hasValue() ? this.sheets.value() : []));
  protected readonly form = new FormGroup({
    sheet: new FormControl('climate-post', { nonNullable: true }),
    room: new FormControl(this.rooms()[0]?.name ?? '', { nonNullable: true }),
    count: new FormControl<number | null>(3),
    pattern: new FormControl('{room}-{n}', { nonNullable: true }),
  });
  private readonly draft = draftOf(this.form);
  protected readonly columns = ['state', 'name', 'key', 'problem'];
  protected readonly byPlace = (place: number): number => place;
  /** Rooms that hold what was typed; all, where it is one of them. */
  protected readonly matching = computed(() => {
    const typed = this.draft().room.trim().toLowerCase();
    const whole = this.rooms().some((room) => room.name.toLowerCase() === typed);
    return whole ? this.rooms() : this.rooms().filter((room) => room.name.toLowerCase().includes(typed));
  });
  protected readonly busy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly sheetName = computed(() => this.known().find((sheet) => sheet.slug === this.draft().sheet)?.name ?? '');
  protected readonly names = computed(() => {
    const count = Math.max(0, Math.min(200, Math.floor(this.draft().count ?? 0) || 0));
    return namesFromPattern(
      this.draft().pattern.trim(),
      count,
      { room: this.draft().room, sheet: this.sheetName() },
      new Set(this.nodes().map(String)),
    );
  });
  protected readonly stops = computed(() => {
    if (this.draft().room.trim() === '') return 'Choose a room, or type the name of a new one.';
    if (this.names().length === 0) return 'Say how many: 1 to 200.';
    const bad = this.names().find((name) => name.problem !== null);
    return bad ? `${bad.name}: ${bad.problem ?? ''}.` : null;
  });

  constructor() {
    useIcons({ x: X });
  }

  protected async make(): Promise<void> {
    if (this.stops() !== null) return;
    this.busy.set(true);
    this.problem.set(null);
    try {
      await this.api.call(plan.addNodes, {
        body: { ids: this.names().map((name) => name.name), room: this.draft().room.trim(), buildSheet: this.draft().sheet },
      });
      this.ref.close();
      await this.router.navigateByUrl('/provision');
    } catch (error) {
      this.problem.set(messageOf(error));
      this.busy.set(false);
    }
  }
}
