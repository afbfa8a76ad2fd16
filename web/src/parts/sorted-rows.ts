import { computed, signal, type Signal } from '@angular/core';
import type { Sort } from '@angular/material/sort';

/** Rows in the order that somebody wants them in: by a column, or as they come. */
export interface Sorted<T> {
  readonly rows: Signal<readonly T[]>;
  /** As the head of the table says it. */
  by(sort: Sort): void;
}

/** `rows` to be sorted by columns, each with what of a row it sorts by: figures by their size, words as a person has them in a list. */
export function sortedRows<T>(rows: () => readonly T[], keys: Readonly<Record<string, (row: T) => string | number>>): Sorted<T> {
  const wanted = signal<Sort>({ active: '', direction: '' });
  return {
    by: (sort) => wanted.set(sort),
    rows: computed(() => {
      const { active, direction } = wanted();
      const key = keys[active];
      if (!key || direction === '') return rows();
      const sign = direction === 'asc' ? 1 : -1;
      return [...rows()].sort((a, b) => sign * compared(key(a), key(b)));
    }),
  };
}

function compared(a: string | number, b: string | number): number {
  return typeof a === 'number' && typeof b === 'number' ? a - b : String(a).localeCompare(String(b), undefined, { numeric: true });
}
