import { respond, type Interlock, type Point } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { Api, messageOf } from '../data/api';
import { nodeNames } from '../data/node-names';

/** Which outputs never run together with this one, and who wins; a maker lays it down, and takes it off. */
@Component({
  selector: 'dp-interlock-line',
  imports: [MatButton, MatFormFieldModule, MatSelectModule],
  template: `
    @for (each of mine(); track each.id) {
      <span class="pair">
        {{ each.words }}
        @if (maker()) {
          <button matButton="outlined" class="small" type="button" [disabled]="busy()" (click)="drop(each.id)">
            Take off<span class="out-of-sight"> {{ each.words }}</span>
          </button>
        }
      </span>
    }
    @if (maker() && choices().length > 0) {
      @if (asking()) {
        <mat-form-field>
          <mat-label>Never together with</mat-label>
          <mat-select [value]="other()" (selectionChange)="other.set($event.value)" hideSingleSelectionIndicator>
            @for (choice of choices(); track choice.id) {
              <mat-option [value]="choice.id">{{ nameOf(choice) }}</mat-option>
            }
          </mat-select>
        </mat-form-field>
        <button matButton="filled" class="small" type="button" [disabled]="other() === null || busy()" (click)="lay(true)">
          {{ point().label }} wins
        </button>
        <button matButton="filled" class="small" type="button" [disabled]="other() === null || busy()" (click)="lay(false)">
          It yields
        </button>
        <button matButton="outlined" class="small" type="button" (click)="asking.set(false)">Leave it</button>
        <span class="quiet">While the one that wins is wanted the other is off. What is for people’s breath wins.</span>
      } @else {
        <button matButton="outlined" class="small" type="button" (click)="asking.set(true)">
          Interlock<span class="out-of-sight"> {{ point().label }}</span>
        </button>
      }
    }
    @if (problem(); as words) {
      <span class="said" role="alert">{{ words }}</span>
    }
  `,
  styles: `
    :host {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: center;
    }
    mat-form-field {
      width: 260px;
    }
    .pair {
      overflow-wrap: anywhere;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class InterlockLine {
  private readonly api = inject(Api);
  private readonly nodeName = nodeNames();
  readonly point = input.required<Point>();
  readonly outputs = input.required<readonly Point[]>();
  readonly interlocks = input.required<readonly Interlock[]>();
  readonly maker = input(false);
  readonly changed = output<readonly Interlock[]>();
  protected readonly asking = signal(false);
  protected readonly other = signal<number | null>(null);
  protected readonly busy = signal(false);
  protected readonly problem = signal<string | null>(null);

  protected readonly mine = computed(() =>
    this.interlocks().flatMap(({ id, winner, loser }) => {
      const own = this.point().id;
      if (own !== winner && own !== loser) return [];
      const other = this.outputs().find((one) => one.id === (own === winner ? loser : winner));
      return other ? [{ id, words: `Never with ${this.nameOf(other)}, which ${own === winner ? 'yields to it' : 'wins'}` }] : [];
    }),
  );
  protected readonly choices = computed(() => {
    const own = this.point().id;
    const taken = new Set(this.interlocks().flatMap(({ winner, loser }) => (winner === own ? [loser] : loser === own ? [winner] : [])));
    return this.outputs().filter(({ id }) => id !== own && !taken.has(id));
  });

  protected nameOf({ label, node }: Point): string {
    return `${label}, ${this.nodeName(node)}`;
  }
  protected lay(wins: boolean): Promise<void> {
    const [own, other] = [this.point().id, this.other() ?? 0];
    const body = wins ? { winner: own, loser: other } : { winner: other, loser: own };
    return this.act(() => this.api.call(respond.addInterlock, { body }));
  }
  protected drop(id: number): Promise<void> {
    return this.act(() => this.api.call(respond.removeInterlock, { params: { id } }));
  }

  private async act(work: () => Promise<readonly Interlock[]>): Promise<void> {
    this.busy.set(true);
    this.problem.set(null);
    try {
      this.changed.emit(await work());
      this.asking.set(false);
      this.other.set(null);
    } catch (error) {
      this.problem.set(messageOf(error));
    }
    this.busy.set(false);
  }
}
