import { plan } from '@dewpost/contract';
import { namesFromPattern } from '@dewpost/core/naming';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatDialogClose, MatDialogRef, type MatDialog } from '@angular/material/dialog';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { Lock, X } from 'lucide';
import { Api, messageOf } from '../data/api';
import { allNodes, placeFeature } from '../data/reducers';
import { Icon } from '../parts/icon';
import { StateGlyph } from '../parts/state-glyph';

/** Makes several nodes from one build sheet: names by a pattern with a preview, points and sealed keys follow. */
export function openNewNodes(dialogs: MatDialog): void {
  dialogs.open(NewNodesDialog, {
    width: '928px',
    maxWidth: '96vw',
    backdropClass: 'scrim',
    ariaLabelledBy: 'dialog-title',
    autoFocus: 'first-tabbable',
  });
}

@Component({
  selector: 'dp-new-nodes-dialog',
  imports: [FormsModule, Icon, MatDialogClose, StateGlyph],
  templateUrl: './new-nodes.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NewNodesDialog {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly ref = inject<MatDialogRef<NewNodesDialog>>(MatDialogRef);
  private readonly store = inject(Store);
  protected readonly icons = { X, Lock };
  private readonly nodes = this.store.selectSignal(allNodes.selectIds);
  protected readonly rooms = this.store.selectSignal(placeFeature.selectRooms);
  protected readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  protected readonly sheetSlug = signal('climate-post');
  protected readonly room = signal(this.rooms()[0]?.name ?? '');
  protected readonly count = signal(3);
  protected readonly pattern = signal('{room}-{n}');
  protected readonly busy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly sheetName = computed(
    () => (this.sheets.hasValue() ? this.sheets.value() : []).find((sheet) => sheet.slug === this.sheetSlug())?.name ?? '',
  );
  protected readonly names = computed(() => {
    const count = Math.max(0, Math.min(200, Math.floor(this.count()) || 0));
    return namesFromPattern(
      this.pattern().trim(),
      count,
      { room: this.room(), sheet: this.sheetName() },
      new Set(this.nodes().map(String)),
    );
  });
  protected readonly stops = computed(() => {
    if (this.room().trim() === '') return 'Choose a room, or type the name of a new one.';
    if (this.names().length === 0) return 'Say how many: 1 to 200.';
    const bad = this.names().find((name) => name.problem !== null);
    return bad ? `${bad.name}: ${bad.problem ?? ''}.` : null;
  });

  protected async make(): Promise<void> {
    if (this.stops() !== null) return;
    this.busy.set(true);
    this.problem.set(null);
    try {
      await this.api.call(plan.addNodes, {
        body: { ids: this.names().map((name) => name.name), room: this.room().trim(), buildSheet: this.sheetSlug() },
      });
      this.ref.close();
      await this.router.navigateByUrl('/provision');
    } catch (error) {
      this.problem.set(messageOf(error));
      this.busy.set(false);
    }
  }
}
