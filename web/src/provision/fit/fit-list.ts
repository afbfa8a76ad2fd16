import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatSort, MatSortHeader } from '@angular/material/sort';
import { MatTableModule } from '@angular/material/table';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { placeFeature } from '../../data/reducers';
import { selectBoardNodes, selectTimezone } from '../../data/selectors';
import { LongRows, pagesOf } from '../../parts/long-rows';
import { RangeTick } from '../../parts/range-tick';
import { sortedRows } from '../../parts/sorted-rows';
import { dayAndTime } from '../../parts/times';
import { ProvisionPages } from '../provision-pages';

interface FitRow {
  readonly id: string;
  readonly name: string;
  readonly room: string;
  readonly proved: boolean;
  readonly fittedAt: number | null;
  /** The same in words. */
  readonly fitted: string | null;
}

/** Which nodes were proved in place, and which hang there unarmed. */
@Component({
  selector: 'dp-fit-list',
  imports: [LongRows, MatSort, MatSortHeader, MatButton, MatCheckbox, MatTableModule, ProvisionPages, RouterLink],
  templateUrl: './fit-list.html',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FitList {
  private readonly store = inject(Store);
  private readonly nodes = this.store.selectSignal(selectBoardNodes);
  private readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly columns = ['mark', 'node', 'room', 'fitted', 'tools'];
  protected readonly byId = (_: number, { id }: { id: string }): string => id;
  protected readonly loaded = this.store.selectSignal(placeFeature.selectLoaded);
  protected readonly open = computed(() => this.nodes().filter((node) => node.state === 'proved' && node.fittedAt === null));
  /** Nodes of the round, in the order they were ticked. */
  protected readonly ticked = signal<ReadonlySet<string>>(new Set());
  protected readonly round = computed(() => [...this.ticked()].join(','));
  /** Those to fit first, then those that cannot be fitted yet, then the others. */
  protected readonly rows = computed(() =>
    this.nodes()
      .map((node): FitRow => ({
        id: node.id,
        name: node.name,
        room: node.room,
        proved: node.state === 'proved',
        fittedAt: node.fittedAt,
        fitted: node.fittedAt === null ? null : dayAndTime(node.fittedAt, this.zone()),
      }))
      .sort((a, b) => Number(a.fitted !== null) - Number(b.fitted !== null) || Number(b.proved) - Number(a.proved)),
  );
  protected readonly sorted = sortedRows<FitRow>(this.rows, {
    node: ({ name }) => name,
    room: ({ room }) => room,
    fitted: ({ fittedAt }) => fittedAt ?? Infinity,
  });
  protected readonly pages = pagesOf(this.sorted.rows);
  protected readonly range = new RangeTick();

  protected tick(id: string, on: boolean): void {
    const toFit = this.pages.shown().flatMap((row) => (row.proved && row.fitted === null ? [row.id] : []));
    const nodes = this.range.through(id, toFit);
    this.ticked.update((before) => new Set(on ? [...before, ...nodes] : [...before].filter((node) => !nodes.includes(node))));
  }
  protected tickAll(): void {
    this.ticked.set(this.ticked().size > 0 ? new Set() : new Set(this.open().map(({ id }) => id)));
  }
}
