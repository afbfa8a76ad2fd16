import { ChangeDetectionStrategy, Component, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatDialogClose } from '@angular/material/dialog';

const KEPT = 'dewpost.shortcuts';

@Component({
  selector: 'dp-shortcuts-dialog',
  imports: [MatButton, MatCheckbox, MatDialogClose],
  template: `<div class="dialog">
    <div class="edge"></div>
    <header>
      <h2 id="dialog-title">Keyboard shortcuts</h2>
      <button matButton type="button" mat-dialog-close>Close</button>
    </header>
    <div class="body">
      <dl class="part keys">
        @for (row of rows; track row[0]) {
          <dt class="mono">{{ row[0] }}</dt>
          <dd>{{ row[1] }}</dd>
        }
      </dl>
      <mat-checkbox class="part" [checked]="on()" (change)="toggle()">Single keys do something. Off, only ? still does.</mat-checkbox>
    </div>
  </div>`,
  styles: `
    .keys {
      display: grid;
      grid-template-columns: 64px 1fr;
      row-gap: 6px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ShortcutsDialog {
  protected readonly on = signal(localStorage.getItem(KEPT) !== 'off');
  protected readonly rows = [
    ['1 … 6', 'Plan, Provision, Calibrate, Watch, Respond, Upkeep'],
    ['/', 'search the roster'],
    ['j  k', 'next, previous node'],
    ['x', 'select the node'],
    ['.', 'acknowledge the newest alert that waits'],
    ['[', 'fold the roster'],
    ['Esc', 'close what lies over the page'],
    ['?', 'these shortcuts'],
  ] as const;

  protected toggle(): void {
    this.on.update((on) => !on);
    localStorage.setItem(KEPT, this.on() ? 'on' : 'off');
  }
}
