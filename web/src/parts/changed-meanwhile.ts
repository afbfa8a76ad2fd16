import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatTableModule } from '@angular/material/table';

/** One thing that differs between what was typed and what is in force. */
export interface Difference {
  what: string;
  mine: string;
  theirs: string;
}

/** The rows in which what was typed and what is in force differ, by the names that a page has for them. */
export function differences<T extends object>(labels: Readonly<Partial<Record<keyof T, string>>>, mine: T, theirs: T): Difference[] {
  return (Object.keys(labels) as (keyof T)[]).flatMap((key) => {
    const [a, b] = [wordsOf(mine[key]), wordsOf(theirs[key])];
    return a === b ? [] : [{ what: labels[key] ?? String(key), mine: a, theirs: b }];
  });
}

/** A value as a person reads it: lists by semicolons, what has parts by their names. */
function wordsOf(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'none';
  if (Array.isArray(value)) return value.length === 0 ? 'none' : value.map(wordsOf).join('; ');
  if (typeof value === 'object') {
    const parts = Object.entries(value).filter(([, part]) => part !== undefined);
    return parts.length === 0 ? 'none' : parts.map(([name, part]) => `${name} ${wordsOf(part)}`).join(', ');
  }
  return typeof value === 'string' ? value : JSON.stringify(value);
}

/** Somebody was faster: both versions side by side, and nothing that was typed is lost. */
@Component({
  selector: 'dp-changed-meanwhile',
  imports: [MatButton, MatTableModule],
  template: `
    <section role="alert" aria-label="Changed by somebody else">
      <p>{{ what() }} was saved by somebody else while you edited: version {{ version() }} is in force.</p>
      @if (rows().length > 0) {
        <table mat-table [dataSource]="rows()" aria-label="What differs">
          <ng-container matColumnDef="what">
            <th mat-header-cell *matHeaderCellDef>what differs</th>
            <td mat-cell *matCellDef="let row">{{ row.what }}</td>
          </ng-container>
          <ng-container matColumnDef="mine">
            <th mat-header-cell *matHeaderCellDef>yours</th>
            <td mat-cell *matCellDef="let row">{{ row.mine }}</td>
          </ng-container>
          <ng-container matColumnDef="theirs">
            <th mat-header-cell *matHeaderCellDef>in force</th>
            <td mat-cell *matCellDef="let row">{{ row.theirs }}</td>
          </ng-container>
          <tr mat-header-row *matHeaderRowDef="columns"></tr>
          <tr mat-row *matRowDef="let row; columns: columns"></tr>
        </table>
      } @else {
        <p>Both say the same.</p>
      }
      <p class="do">
        <button matButton="outlined" type="button" (click)="theirs.emit()">Take what is in force</button>
        <button matButton="outlined" type="button" (click)="mine.emit()">Save mine over it</button>
      </p>
    </section>
  `,
  styles: `
    :host {
      display: block;
      margin: 8px 12px 8px 0;
    }
    section {
      border-left: 4px solid var(--ochre);
      padding: 8px 12px;
      overflow-x: auto;
    }
    p {
      margin: 0 0 8px;
    }
    table {
      margin-bottom: 8px;
    }
    td {
      overflow-wrap: anywhere;
    }
    .do {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      margin: 0;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ChangedMeanwhile {
  protected readonly columns = ['what', 'mine', 'theirs'];
  readonly what = input.required<string>();
  readonly version = input.required<number>();
  readonly rows = input.required<readonly Difference[]>();
  readonly mine = output();
  readonly theirs = output();
}
