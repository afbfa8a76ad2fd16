import { ChangeDetectionStrategy, Component, computed, ElementRef, inject, input, signal, type Signal } from '@angular/core';
import { MatPaginator } from '@angular/material/paginator';

/** So many rows stand on one page; a table up to this long is not divided. */
export const ROWS_A_PAGE = 60;

/** Rows that may be many, a page of them at a time. */
export interface Pages<T> {
  /** The rows of the page that is turned to. */
  readonly shown: Signal<readonly T[]>;
  readonly count: Signal<number>;
  /** The page turned to, from 0: the last, where rows went meanwhile. */
  readonly at: Signal<number>;
  turnTo(page: number): void;
}

/** `rows` by pages. Rows of any height: where all are as high as each other and nothing is printed, a list that scrolls virtually does better. */
export function pagesOf<T>(rows: () => readonly T[]): Pages<T> {
  const wanted = signal(0);
  const count = computed(() => rows().length);
  const at = computed(() => Math.min(wanted(), Math.max(0, Math.ceil(count() / ROWS_A_PAGE) - 1)));
  const shown = computed(() => (count() <= ROWS_A_PAGE ? rows() : rows().slice(at() * ROWS_A_PAGE, (at() + 1) * ROWS_A_PAGE)));
  return { shown, count, at, turnTo: (page) => wanted.set(page) };
}

/** Beneath a table that is too long for one page: which of its rows stand there, and the way to the others. Nothing beneath a short one. */
@Component({
  selector: 'dp-long-rows',
  imports: [MatPaginator],
  template: `@if (of().count() > size) {
    <mat-paginator
      [attr.aria-label]="'Pages of ' + what()"
      [length]="of().count()"
      [pageIndex]="of().at()"
      [pageSize]="size"
      hidePageSize
      showFirstLastButtons
      (page)="turnTo($event.pageIndex)"
    />
  }`,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class LongRows {
  readonly of = input.required<Pages<unknown>>();
  /** What the rows are, in the plural. */
  readonly what = input.required<string>();
  protected readonly size = ROWS_A_PAGE;
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);

  /** Another page, from its first row on. */
  protected turnTo(page: number): void {
    this.of().turnTo(page);
    this.host.nativeElement.closest('.main, .scroll')?.scrollTo?.({ top: 0 });
  }
}
