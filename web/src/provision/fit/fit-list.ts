import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatTableModule } from '@angular/material/table';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { placeFeature } from '../../data/reducers';
import { selectBoardNodes, selectTimezone } from '../../data/selectors';
import { dayAndTime } from '../../parts/times';
import { ProvisionPages } from '../provision-pages';

/** Which nodes were proved in place, and which hang there unarmed. */
@Component({
  selector: 'dp-fit-list',
  imports: [MatButton, MatCheckbox, MatTableModule, ProvisionPages, RouterLink],
  template: `<header class="page-head">
      <div class="title">
        <h1>Fit</h1>
        <small>{{ open().length }} to fit; until then their thresholds and outputs are unarmed</small>
      </div>
      <div class="tools">
        @if (open().length > 1) {
          <button matButton="outlined" type="button" (click)="tickAll()">{{ ticked().size > 0 ? 'Tick none' : 'Tick all to fit' }}</button>
        }
        @if (ticked().size > 0) {
          <a matButton="filled" routerLink="/provision/fit-round" [queryParams]="{ nodes: round() }"
            >Begin a round of {{ ticked().size }}</a
          >
        }
      </div>
      <dp-provision-pages />
    </header>
    <div class="work">
      <div class="main" tabindex="0" role="region" aria-label="Nodes">
        @if (rows().length === 0) {
          <p class="waiting">{{ loaded() ? 'No nodes yet: make them from a build sheet.' : 'Reading the nodes' }}</p>
        } @else {
          <table mat-table class="as-pairs" [dataSource]="rows()" [trackBy]="byId">
            <caption class="out-of-sight">
              Nodes, those to fit first
            </caption>
            <ng-container matColumnDef="mark">
              <th mat-header-cell *matHeaderCellDef class="margin"></th>
              <td mat-cell *matCellDef="let node" class="margin">
                @if (node.proved && !node.fitted) {
                  <mat-checkbox
                    [aria-label]="'Take ' + node.name + ' into the round'"
                    [checked]="ticked().has(node.id)"
                    (change)="tick(node.id, $event.checked)"
                  />
                }
              </td>
            </ng-container>
            <ng-container matColumnDef="node">
              <th mat-header-cell *matHeaderCellDef>Node</th>
              <td mat-cell *matCellDef="let node" class="row-head">
                {{ node.name }}
                @if (node.name !== node.id) {
                  <span class="mono quiet">{{ node.id }}</span>
                }
              </td>
            </ng-container>
            <ng-container matColumnDef="room">
              <th mat-header-cell *matHeaderCellDef>Room</th>
              <td mat-cell *matCellDef="let node" data-label="Room">{{ node.room }}</td>
            </ng-container>
            <ng-container matColumnDef="fitted">
              <th mat-header-cell *matHeaderCellDef>Fitted</th>
              <td mat-cell *matCellDef="let node" data-label="Fitted">
                {{ node.fitted ?? (node.proved ? 'not yet: unarmed' : 'to be written first') }}
              </td>
            </ng-container>
            <ng-container matColumnDef="tools">
              <th mat-header-cell *matHeaderCellDef><span class="out-of-sight">Go</span></th>
              <td mat-cell *matCellDef="let node" class="tools">
                @if (node.proved) {
                  <a matButton="outlined" class="small" [routerLink]="['/provision/fit', node.id]"
                    >{{ node.fitted ? 'Look' : 'Fit it' }}<span class="out-of-sight"> {{ node.name }}</span></a
                  >
                }
              </td>
            </ng-container>
            <tr mat-header-row *matHeaderRowDef="columns; sticky: true"></tr>
            <tr mat-row *matRowDef="let row; columns: columns"></tr>
          </table>
        }
      </div>
    </div>`,
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
