import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIcon } from '@angular/material/icon';

/** Brings in a file: a button that says what for, and the name of what was chosen. The browser's own field is out of sight. */
@Component({
  selector: 'dp-file-button',
  imports: [MatButton, MatIcon],
  template: `
    <button matButton="outlined" type="button" (click)="field.click()">
      @if (icon(); as name) {
        <mat-icon [svgIcon]="name" />
      }
      {{ label() }}
    </button>
    @if (chosen(); as name) {
      <span class="mono">{{ name }}</span>
    }
    <input
      #field
      class="out-of-sight"
      type="file"
      tabindex="-1"
      [id]="fieldId()"
      [accept]="accept()"
      [attr.capture]="capture()"
      [attr.aria-label]="label()"
      (change)="take(field)"
    />
  `,
  styles: `
    :host {
      display: inline-flex;
      flex-wrap: wrap;
      align-items: center;
      gap: 4px 8px;
      position: relative;
    }
    span {
      font-size: 12px;
      overflow-wrap: anywhere;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FileButton {
  readonly label = input.required<string>();
  readonly accept = input('');
  readonly fieldId = input('');
  readonly icon = input('');
  readonly capture = input<'environment' | null>(null);
  /** The name of what was chosen, where it is to stand beside the button. */
  readonly chosen = input<string | null>(null);
  readonly taken = output<File>();

  protected take(field: HTMLInputElement): void {
    const [file] = field.files ?? [];
    // The same file may be chosen again: only a change is told.
    field.value = '';
    if (file) this.taken.emit(file);
  }
}
