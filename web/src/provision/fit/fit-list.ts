import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatTableModule } from '@angular/material/table';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { placeFeature } from '../../data/reducers';
import { selectBoardNodes, selectTimezone } from '../../data/selectors';
import { LongRows, pagesOf } from '../../parts/long-rows';
import { dayAndTime } from '../../parts/times';
import { ProvisionPages } from '../provision-pages';

/** Which nodes were proved in place, and which hang there unarmed. */
@Component({
  selector: 'dp-fit-list',
  imports: [LongRows, MatButton, MatCheckbox, MatTableModule, ProvisionPages, RouterLink],
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
      .map((node) => ({
        id: node.id,
        name: node.name,
        room: node.room,
        proved: node.state === 'proved',
        fitted: node.fittedAt === null ? null : dayAndTime(node.fittedAt, this.zone()),
      }))
      .sort((a, b) => Number(a.fitted !== null) - Number(b.fitted !== null) || Number(b.proved) - Number(a.proved)),
  );
  protected readonly pages = pagesOf(this.rows);

  protected tick(id: string, on: boolean): void {
    this.ticked.update((before) => {
      const next = new Set(before);
      if (on) next.add(id);
      else next.delete(id);
      return next;
    });
  }
  protected tickAll(): void {
    this.ticked.set(this.ticked().size > 0 ? new Set() : new Set(this.open().map(({ id }) => id)));
  }
}
