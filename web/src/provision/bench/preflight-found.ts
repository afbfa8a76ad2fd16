import type { Firmware } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { imageChoices, saidOnce, type Looked } from './before-writing';

/** Nodes named where something is said of them; of more only how many. */
const NAMED = 6;

/** What was found before writing: images to choose, what is wrong with whom, and what can be written. */
@Component({
  selector: 'dp-preflight-found',
  imports: [MatButton, MatFormFieldModule, MatSelectModule],
  template: `
    <section class="part-of-sheet preflight" aria-labelledby="preflight-title">
      <h2 id="preflight-title">
        Before writing: {{ found().length - writable().length }} cannot be written, {{ writable().length - clean().length }} ask,
        {{ clean().length }} are ready
      </h2>
      @for (choice of choices(); track choice.board) {
        <mat-form-field class="image-choice">
          <mat-label>Image for {{ choice.board }}, {{ choice.nodes }} {{ choice.nodes === 1 ? 'node' : 'nodes' }}</mat-label>
          <mat-select
            [id]="'image-' + choice.board"
            [value]="choice.chosen"
            (selectionChange)="imageChosen.emit({ board: choice.board, image: $event.value })"
            hideSingleSelectionIndicator
          >
            @for (image of choice.images; track image.id) {
              <mat-option [value]="image.id"
                >{{ image.name }} {{ image.version }}{{ image.signedBy === null ? ', not signed' : '' }}</mat-option
              >
            }
          </mat-select>
        </mat-form-field>
      }
      <ul>
        @for (said of words(); track $index) {
          <li [class.wrong]="said.verdict === 'fail'">
            {{ said.verdict === 'fail' ? 'Fails' : 'Warns' }}: {{ said.title }}. {{ said.detail }}
            <span class="mono quiet">{{ who(said.nodes) }}</span>
          </li>
        }
      </ul>
      <p class="do">
        @if (writable().length > 0) {
          <button matButton="filled" type="button" (click)="write.emit(writable())">
            Write {{ writable().length
            }}{{ writable().length > clean().length ? (writable().length === 1 ? ' with its warnings' : ' with their warnings') : '' }}
          </button>
        }
        @if (clean().length > 0 && clean().length < writable().length) {
          <button matButton="outlined" type="button" (click)="write.emit(clean())">Write the {{ clean().length }} ready</button>
        }
        <button matButton="outlined" type="button" (click)="left.emit()">Leave it</button>
      </p>
    </section>
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PreflightFound {
  readonly found = input.required<readonly Looked[]>();
  readonly images = input.required<readonly Firmware[]>();
  readonly write = output<readonly string[]>();
  readonly imageChosen = output<{ board: string; image: string }>();
  readonly left = output();
  protected readonly writable = computed(() => this.found().flatMap(({ node, worst }) => (worst !== 'fail' ? [node] : [])));
  protected readonly clean = computed(() => this.found().flatMap(({ node, worst }) => (worst === 'pass' ? [node] : [])));
  protected readonly words = computed(() => saidOnce(this.found()));
  protected readonly choices = computed(() => imageChoices(this.found(), this.images()));
  /** Of whom it is said: nothing where there is one node only, for then it stands in its row. */
  protected who(nodes: readonly string[]): string {
    if (this.found().length === 1) return '';
    if (nodes.length === this.found().length) return `all ${nodes.length}`;
    return nodes.length > NAMED ? `${nodes.slice(0, NAMED).join(', ')} and ${nodes.length - NAMED} more` : nodes.join(', ');
  }
}
