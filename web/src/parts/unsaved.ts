import { ChangeDetectionStrategy, Component, DestroyRef, inject } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MAT_DIALOG_DATA, MatDialog, MatDialogClose, type MatDialogRef } from '@angular/material/dialog';
import type { CanDeactivateFn } from '@angular/router';
import { firstValueFrom, map } from 'rxjs';

/** A page that may hold what was typed and is not kept. */
export interface HoldsUnsaved {
  /** What is not kept yet, in words that go on with "is not kept yet"; `null`: nothing. */
  unsaved(): string | null;
}

/** Says what would be lost, and asks. */
@Component({
  selector: 'dp-unsaved-dialog',
  imports: [MatButton, MatDialogClose],
  template: `<div class="dialog">
    <div class="edge"></div>
    <header><h2 id="dialog-title">Not kept yet</h2></header>
    <div class="body">
      <p class="part">{{ what }} is not kept yet. It is gone when you leave this page.</p>
    </div>
    <footer>
      <button matButton="filled" type="button" [mat-dialog-close]="false">Stay here</button>
      <button matButton="outlined" type="button" [mat-dialog-close]="true">Leave without it</button>
    </footer>
  </div>`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class UnsavedDialog {
  protected readonly what = inject<string>(MAT_DIALOG_DATA);
}

/** Asks before a page is left that holds what is not kept; staying is what the enter key does. */
export const leaveWhenKept: CanDeactivateFn<HoldsUnsaved> = (page) => {
  const what = page.unsaved();
  if (what === null) return true;
  const dialog: MatDialogRef<UnsavedDialog, boolean> = inject(MatDialog).open(UnsavedDialog, {
    data: what,
    width: '420px',
    maxWidth: '96vw',
    backdropClass: 'scrim',
    ariaLabelledBy: 'dialog-title',
    role: 'alertdialog',
  });
  return firstValueFrom(dialog.afterClosed().pipe(map((leave) => leave === true)));
};

/** Lets the browser ask before the window is closed or the page is read anew. To be called where the page is made. */
export function askBeforeClosing(unsaved: () => string | null): void {
  const ask = (event: BeforeUnloadEvent): void => {
    if (unsaved() !== null) event.preventDefault();
  };
  addEventListener('beforeunload', ask);
  inject(DestroyRef).onDestroy(() => removeEventListener('beforeunload', ask));
}
