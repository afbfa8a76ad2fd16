import { Injectable, signal } from '@angular/core';

/** The node in hand: stays when the stage changes. */
@Injectable({ providedIn: 'root' })
export class Selection {
  readonly nodes = signal<ReadonlySet<string>>(new Set());
  /** Where `j` and `k` stand. */
  readonly cursor = signal<string | null>(null);

  toggle(node: string, more: boolean): void {
    this.cursor.set(node);
    this.nodes.update((before) => {
      const has = before.has(node);
      const next = new Set(more ? before : []);
      if (has) next.delete(node);
      else next.add(node);
      return next;
    });
  }
}
