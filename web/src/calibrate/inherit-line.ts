import { calibrate, type Calibration, type Point, type Reference } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { nodeNames } from '../data/node-names';
import { allNodes, allPoints } from '../data/reducers';
import { typedNumber } from '../parts/typed-number';
import { InstrumentChoice } from './instrument-choice';

/** A calibration that was copied from a like node is confirmed here; one that was made here may be copied to others of its sheet. */
@Component({
  selector: 'dp-inherit-line',
  imports: [InstrumentChoice, MatButton, MatFormFieldModule, MatInput, MatSelectModule],
  template: `
    @if (calibration().inherited; as from) {
      @if (from.confirmedAt === null) {
        <p class="due">Inherited from {{ from.from }}: not confirmed here yet.</p>
        <form class="line" (submit)="$event.preventDefault(); confirm()">
          <mat-form-field class="mono">
            <mat-label>The reference shows now</mat-label>
            <input matInput #shows type="number" step="any" [value]="shown() ?? ''" (input)="shown.set(number(shows.value))" />
            <span matTextSuffix class="unit">{{ point().calibratesTo.unit }}</span>
          </mat-form-field>
          <button matButton="filled" type="submit" [disabled]="shown() === null || busy()">Confirm</button>
        </form>
        <dp-instrument-choice [unit]="point().calibratesTo.unit" [captures]="[]" [(chosen)]="instrument" />
      } @else {
        <p class="quiet">Inherited from {{ from.from }}, confirmed here by {{ from.confirmedBy }}.</p>
      }
    } @else if (others().length > 0) {
      <div class="line">
        <mat-form-field>
          <mat-label>Copy to others of its sheet</mat-label>
          <mat-select multiple [value]="to()" (selectionChange)="to.set($event.value)">
            <mat-select-trigger>{{ counted(to().length, 'node') }}</mat-select-trigger>
            @for (node of others(); track node) {
              <mat-option [value]="node">{{ nameOf(node) }}</mat-option>
            }
          </mat-select>
        </mat-form-field>
        <button matButton="outlined" type="button" [disabled]="to().length === 0 || busy()" (click)="copy()">Copy</button>
      </div>
    }
    @if (said(); as words) {
      <p class="said" [class.note]="!words.bad" [attr.role]="words.bad ? 'alert' : 'status'">{{ words.text }}</p>
    }
  `,
  styles: `
    :host {
      display: grid;
      gap: 8px;
      padding: 6px 0 10px;
    }
    .line {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: center;
    }
    mat-form-field {
      width: min(100%, 240px);
    }
    p {
      margin: 0;
    }
    .due {
      color: var(--ochre);
      font-weight: 560;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class InheritLine {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  protected readonly nameOf = nodeNames();
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  readonly point = input.required<Point>();
  readonly calibration = input.required<Calibration>();
  /** Something of it has changed. */
  readonly changed = output();
  protected readonly counted = counted;
  protected readonly number = typedNumber;
  protected readonly shown = signal<number | null>(null);
  protected readonly instrument = signal<Reference | null>(null);
  protected readonly to = signal<readonly string[]>([]);
  protected readonly busy = signal(false);
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  /** Nodes of the same sheet that have this point. */
  protected readonly others = computed(() => {
    const { node, name } = this.point();
    const own = this.nodes()[node];
    if (own?.kind !== 'node') return [];
    return this.points()
      .filter((point) => point.name === name && point.node !== node)
      .map((point) => point.node)
      .filter((other) => this.nodes()[other]?.kind === 'node' && this.nodes()[other]?.sheet === own.sheet);
  });

  protected copy(): Promise<void> {
    return this.act(async () => {
      const done = await this.api.call(calibrate.copy, { params: this.params(), body: { nodes: [...this.to()] } });
      const refused = done.filter((each) => each.refused !== null);
      const copied = done.length - refused.length;
      this.to.set([]);
      const not = refused.map(({ node, refused: why }) => `${this.nameOf(node)}: ${why}`).join('; ');
      this.said.set({
        text: `${counted(copied, 'node')} inherited it, to be confirmed there.${refused.length > 0 ? ` Not ${not}.` : ''}`,
        bad: copied === 0,
      });
    });
  }
  protected confirm(): Promise<void> {
    const shows = this.shown();
    if (shows === null) return Promise.resolve();
    return this.act(async () => {
      await this.api.call(calibrate.confirm, { params: this.params(), body: { shows, instrument: this.instrument()?.id ?? null } });
      this.shown.set(null);
    });
  }
  private params(): { node: string; point: string; version: number } {
    return { node: this.point().node, point: this.point().name, version: this.calibration().version };
  }
  /** What was typed stays where it is refused. */
  private async act(work: () => Promise<void>): Promise<void> {
    this.busy.set(true);
    this.said.set(null);
    try {
      await work();
      this.changed.emit();
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
    this.busy.set(false);
  }
}
