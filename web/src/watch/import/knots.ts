import { CdkDrag, type CdkDragEnd } from '@angular/cdk/drag-drop';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, type ElementRef, input, output, signal, viewChild } from '@angular/core';
import { MatMenuModule, type MatMenuTrigger } from '@angular/material/menu';

/** A column of a file: what it is called, what stands in its first lines, and which row it is tied to. */
export interface FileColumn {
  readonly place: number;
  readonly name: string;
  readonly cells: readonly string[];
}
/** What a column may become: the time, or a point with what was found for it on the range that it is usual in. */
export interface KnotRow {
  /** `time`, or `node/point`. */
  readonly id: string;
  readonly label: string;
  readonly unit: string;
  /** The column that it is tied to. */
  readonly column: number;
  readonly found: { readonly low: number; readonly high: number } | null;
  readonly usual: readonly [low: number, high: number] | null;
}

/** Room for the longest cell of a column, within bounds, px. */
const widthOf = ({ name, cells }: FileColumn): number =>
  Math.min(136, Math.max(56, 8 * Math.max(name.length, ...cells.map(({ length }) => length)) + 12));

/**
 * Ties columns of a file to what they become: a knot in each row stands beneath its column. It is dragged along the row, moved by the arrow keys,
 * or put by its menu; a column that another row has cannot be taken twice.
 */
@Component({
  selector: 'dp-knots',
  imports: [CdkDrag, MatMenuModule],
  templateUrl: './knots.html',
  styleUrl: './knots.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Knots {
  readonly columns = input.required<readonly FileColumn[]>();
  readonly rows = input.required<readonly KnotRow[]>();
  readonly changeable = input(false);
  /** A row is tied to another column; `null`: to none. */
  readonly tied = output<{ row: string; column: number | null }>();
  private readonly heads = viewChild<ElementRef<HTMLElement>>('heads');
  /** Being dragged just now: the click that ends it opens no menu. */
  private readonly dragged = signal(false);

  protected readonly lines = computed(() =>
    Array.from({ length: Math.max(0, ...this.columns().map(({ cells }) => cells.length)) }, (_, i) => i),
  );
  /** The same widths in every row: by the longest that stands in a column. */
  protected readonly template = computed(
    () =>
      `190px ${this.columns()
        .map((column) => `${widthOf(column)}px`)
        .join(' ')} 170px`,
  );
  private readonly takenBy = computed(() => new Map(this.rows().map(({ column, id }) => [column, id])));

  /** Columns that a row may be tied to: its own, and those that nothing is tied to. */
  protected free(row: KnotRow): readonly FileColumn[] {
    return this.columns().filter(({ place }) => (this.takenBy().get(place) ?? row.id) === row.id);
  }
  /** Does a line run through this cell: along to the knot, or down to a knot further below? */
  protected along(row: KnotRow, place: number): boolean {
    return place < row.column;
  }
  protected down(index: number, place: number): boolean {
    return this.rows().some(({ column }, i) => i > index && column === place);
  }
  protected isTied(place: number): boolean {
    return this.takenBy().has(place);
  }
  protected figures({ found }: KnotRow): string {
    return found ? `${formatNumber(found.low, 1)} to ${formatNumber(found.high, 1)}` : '';
  }
  /** Where what was found lies on the usual range, in percent; what reaches past it is cut. */
  protected bar({ found, usual }: KnotRow): { readonly left: number; readonly width: number } | null {
    if (!found || !usual || usual[1] <= usual[0]) return null;
    const share = (value: number): number => Math.min(100, Math.max(0, ((value - usual[0]) / (usual[1] - usual[0])) * 100));
    return { left: share(found.low), width: Math.max(1, share(found.high) - share(found.low)) };
  }

  protected begin(): void {
    this.dragged.set(true);
  }
  /** The knot was let go: it is tied to the free column that it stands beneath; else it goes back. */
  protected drop(row: KnotRow, event: CdkDragEnd): void {
    event.source.reset();
    setTimeout(() => this.dragged.set(false));
    const cells = [...(this.heads()?.nativeElement.querySelectorAll<HTMLElement>('[data-place]') ?? [])];
    const beneath = cells.find((cell) => {
      const { left, right } = cell.getBoundingClientRect();
      return event.dropPoint.x >= left && event.dropPoint.x < right;
    });
    if (beneath) this.put(row, Number(beneath.dataset['place']));
  }
  protected open(trigger: MatMenuTrigger): void {
    if (!this.dragged()) trigger.openMenu();
  }
  /** Moves it to the next free column to that side. */
  protected step(row: KnotRow, event: Event, side: -1 | 1): void {
    event.preventDefault();
    const free = this.free(row);
    const next = free[free.findIndex(({ place }) => place === row.column) + side];
    if (next) this.put(row, next.place);
  }
  protected put(row: KnotRow, column: number | null): void {
    if (column === row.column || (column !== null && !this.free(row).some(({ place }) => place === column))) return;
    this.tied.emit({ row: row.id, column });
  }
}
