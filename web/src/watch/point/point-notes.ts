import { watch, type Happening, type Point } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, output, signal, untracked } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { MomentField } from '../../parts/moment-field';
import { dayAndTime } from '../../parts/times';

/** What happened beside a point's readings: notes of people, changes of firmware; and a note more. */
@Component({
  selector: 'dp-point-notes',
  imports: [MatButton, MatCheckbox, MatFormFieldModule, MatInput, MomentField],
  templateUrl: './point-notes.html',
  styles: `
    ul {
      margin: 0;
      padding: 0;
      list-style: none;
    }
    li {
      display: grid;
      grid-template-columns: 1fr auto;
      gap: 0 8px;
      align-items: start;
      padding: 3px 16px 5px;
    }
    .mono {
      color: var(--ink-2);
    }
    .write {
      display: grid;
      grid-template-columns: minmax(0, 1fr);
      gap: 8px;
      > button {
        justify-self: start;
      }
      padding: 4px 16px 12px;
    }
    .acts {
      display: flex;
      gap: 8px;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class PointNotes {
  private readonly api = inject(Api);
  private readonly me = inject(Store).selectSignal(placeFeature.selectMe);
  readonly point = input.required<Point>();
  readonly happenings = input.required<readonly Happening[]>();
  readonly zone = input.required<string>();
  /** When a new note is of, unless somebody says otherwise, ms. */
  readonly at = input.required<number>();
  readonly changed = output<void>();
  private readonly id = computed(() => this.point().id);
  protected readonly writing = linkedSignal<boolean>(() => (this.id(), false));
  // As it was when the note was begun: time goes on while somebody types.
  protected readonly when = linkedSignal(() => (this.writing(), untracked(() => this.at())));
  protected readonly text = linkedSignal(() => (this.id(), ''));
  protected readonly ofNode = signal(false);
  protected readonly busy = signal(false);
  protected readonly said = signal<string | null>(null);
  private readonly mayRemoveAll = computed(() => this.me()?.role === 'maker');

  protected readonly shown = (ms: number): string => dayAndTime(ms, this.zone());
  protected mine({ kind, by }: Happening): boolean {
    return kind === 'note' && (this.mayRemoveAll() || by === this.me()?.name);
  }

  protected keep(): Promise<void> {
    const { node, name: point } = this.point();
    return this.act(async () => {
      await this.api.call(watch.addNote, { params: { node, point }, body: { at: this.when(), text: this.text(), ofNode: this.ofNode() } });
      this.text.set('');
      this.writing.set(false);
    });
  }
  protected remove(id: number): Promise<void> {
    return this.act(() => this.api.call(watch.removeNote, { params: { id } }));
  }
  private async act(work: () => Promise<unknown>): Promise<void> {
    this.busy.set(true);
    this.said.set(null);
    try {
      await work();
      this.changed.emit();
    } catch (error) {
      this.said.set(messageOf(error));
    }
    this.busy.set(false);
  }
}
