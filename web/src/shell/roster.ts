import { formatDuration } from '@dewpost/core/quantity';
import type { Node } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, type ElementRef, inject, output, signal, viewChild } from '@angular/core';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { allNodes, placeFeature } from '../data/reducers';
import { selectSeverityByNode } from '../data/selectors';
import { Clock } from '../parts/clock';
import { SeverityGlyph } from '../parts/severity-glyph';
import { markOf, StateGlyph } from '../parts/state-glyph';
import { Selection } from './selection';

/** The nodes, at every stage: by room, searched with `/`, chosen with `j`, `k` and `x`. */
@Component({
  selector: 'dp-roster',
  imports: [MatFormFieldModule, MatInput, SeverityGlyph, StateGlyph],
  templateUrl: './roster.html',
  host: { style: 'display: contents' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Roster {
  private readonly store = inject(Store);
  private readonly clock = inject(Clock);
  protected readonly selection = inject(Selection);
  readonly fold = output();
  protected readonly nodes = this.store.selectSignal(allNodes.selectAll);
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  protected readonly severities = this.store.selectSignal(selectSeverityByNode);
  protected readonly search = signal('');
  protected readonly folded = signal<ReadonlySet<string>>(new Set());
  private readonly searchField = viewChild<ElementRef<HTMLInputElement>>('field');
  protected readonly rooms = computed(() => {
    const wanted = this.search().trim().toLowerCase();
    const found = this.nodes().filter(
      (node) => wanted === '' || [node.name, node.id, node.room, node.sheet].some((text) => text.toLowerCase().includes(wanted)),
    );
    return [...Map.groupBy(found, (node) => node.room)].map(([name, nodes]) => ({ name, nodes }));
  });
  protected readonly mark = markOf;

  focusSearch(): void {
    this.searchField()?.nativeElement.focus();
  }

  /** Moves the cursor by one; the node is scrolled into sight. */
  step(by: 1 | -1): void {
    const ids = this.rooms()
      .filter((room) => !this.folded().has(room.name))
      .flatMap((room) => room.nodes.map((node) => node.id));
    const at = ids.indexOf(this.selection.cursor() ?? '');
    const next = ids[at === -1 ? (by === 1 ? 0 : ids.length - 1) : Math.max(0, Math.min(ids.length - 1, at + by))];
    if (!next) return;
    this.selection.cursor.set(next);
    document.getElementById(`node-${next}`)?.focus();
  }

  protected age(node: Node): string {
    if (node.state === 'planned') return '';
    if (node.state === 'writing' || node.state === 'stopped') return node.state;
    return node.heardAt === null ? 'never' : formatDuration(this.clock.now() - node.heardAt);
  }

  protected toggleRoom(room: string): void {
    this.folded.update((before) => {
      const next = new Set(before);
      if (!next.delete(room)) next.add(room);
      return next;
    });
  }
}
