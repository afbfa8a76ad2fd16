import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { MatTableModule } from '@angular/material/table';

/** A column of a table that is only read: what its cells are decides how they are set. */
export interface PlainColumn {
  readonly id: string;
  readonly label: string;
  /** `head`: names the row. `figure`: mono, never broken. `words`: anything else. */
  readonly kind: 'head' | 'figure' | 'words';
}
export type PlainRow = Readonly<Record<string, string>>;

/** A small table that is read and nothing else; a sum may stand at its foot. Rows become pairs on a phone when `pairs` is asked for. */
@Component({
  selector: 'dp-plain-table',
  imports: [MatTableModule],
  template: `<table mat-table [dataSource]="rows()" [class.as-pairs]="pairs()">
    <caption [class.out-of-sight]="quietCaption()">
      {{
        caption()
      }}
    </caption>
    @for (column of columns(); track column.id) {
      <ng-container [matColumnDef]="column.id">
        <th mat-header-cell *matHeaderCellDef scope="col">{{ column.label }}</th>
        <td
          mat-cell
          *matCellDef="let row"
          [attr.data-label]="column.label"
          [class.mono]="column.kind === 'figure'"
          [class.row-head]="column.kind === 'head'"
        >
          {{ row[column.id] }}
        </td>
        <td mat-footer-cell *matFooterCellDef [class.mono]="column.kind === 'figure'">
          <b>{{ foot()?.[column.id] }}</b>
        </td>
      </ng-container>
    }
    <tr mat-header-row *matHeaderRowDef="ids()"></tr>
    <tr mat-row *matRowDef="let row; columns: ids()"></tr>
    @if (foot()) {
      <tr mat-footer-row *matFooterRowDef="ids()"></tr>
    }
  </table>`,
  styles: `
    :host {
      display: block;
      // Read, not worked on: closer than rows with buttons.
      --mat-table-row-item-container-height: 30px;
      --mat-table-footer-container-height: 32px;
      --mat-table-header-container-height: 28px;
    }
    :host(.in-page) {
      padding: 6px 16px 0 56px;
    }
    caption:not(.out-of-sight) {
      text-align: left;
      font-weight: 650;
      padding: 8px 0 4px;
    }
    table .mat-mdc-cell:first-child,
    table .mat-mdc-header-cell:first-child,
    table .mat-mdc-footer-cell:first-child {
      padding-left: 0;
    }
    @media (max-width: 899px) {
      :host(.in-page) {
        padding: 6px 0 0;
      }
      :host(.in-page) caption:not(.out-of-sight) {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PlainTable {
  readonly columns = input.required<readonly PlainColumn[]>();
  readonly rows = input.required<readonly PlainRow[]>();
  readonly caption = input.required<string>();
  /** The caption is there for who cannot see the heading above. */
  readonly quietCaption = input(false);
  readonly foot = input<PlainRow | null>(null);
  readonly pairs = input(false);
  protected readonly ids = computed(() => this.columns().map(({ id }) => id));
}
