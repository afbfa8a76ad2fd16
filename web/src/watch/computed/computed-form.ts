import { computed as endpoints, type Computed, type Point } from '@dewpost/contract';
import { FORMULAS, formulaNamed, inputsProblem, pairsProblem, type Formula } from '@dewpost/core/derive';
import { unitChange } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { ReactiveFormsModule } from '@angular/forms';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { PointPicker } from '../../parts/point-picker';
import { pairsIn, tankWords } from './tank-words';
import { ValueField } from '../../parts/value-field';
import { bodyOf, draftOf, placeProblem, saying, zodForm } from '../../parts/zod-forms';

const GROUPS = [...new Set(FORMULAS.map(({ group }) => group))].map((name) => ({
  name,
  formulas: FORMULAS.filter(({ group }) => group === name),
}));
const named = endpoints.add.body.pick({ label: true, room: true });

/** Makes a computed point, or computes one otherwise. What does not fit is said before it is sent, and what was chosen stays. */
@Component({
  selector: 'dp-computed-form',
  imports: [MatAutocompleteModule, MatButton, MatFormFieldModule, MatInput, MatSelectModule, PointPicker, ReactiveFormsModule, ValueField],
  templateUrl: './computed-form.html',
  styleUrl: './computed-form.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ComputedForm {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  readonly points = input.required<readonly Point[]>();
  /** What is changed; `null`: a new one. */
  readonly edits = input<Computed | null>(null);
  readonly kept = output<Computed>();
  readonly closed = output<void>();
  protected readonly groups = GROUPS;
  protected readonly form = zodForm(named, { label: '', room: '' });
  protected readonly problemOf = saying(this.form);
  private readonly draft = draftOf(this.form);
  private readonly allRooms = this.store.selectSignal(placeFeature.selectRooms);
  protected readonly rooms = computed(() => {
    const typed = (this.draft().room ?? '').toLowerCase();
    return this.allRooms().filter(({ name }) => name.toLowerCase().includes(typed));
  });

  protected readonly formulaId = signal<string | null>(null);
  protected readonly formula = computed((): Formula | null => formulaNamed(this.formulaId() ?? '') ?? null);
  /** Points that were chosen, in order; one that is not chosen yet is `null`. */
  protected readonly chosen = signal<readonly (number | null)[]>([]);
  protected readonly figures = signal<Readonly<Record<string, number>>>({});
  protected readonly tolerance = signal(300);
  /** The table, as it is typed: a row a line. */
  protected readonly table = signal('');
  protected readonly pairs = computed(() => pairsIn(this.table()));
  /** What a tank holds full, and what a centimetre is worth halfway up. */
  protected readonly tank = computed(() => {
    const formula = this.formula();
    return formula?.group === 'water' ? tankWords(formula, this.figures(), this.pairs() ?? []) : null;
  });
  protected readonly said = signal<string | null>(null);
  protected readonly working = signal(false);

  protected readonly slots = computed(() => {
    const [formula, chosen] = [this.formula(), this.chosen()];
    if (!formula) return [];
    return chosen.map((id, i) => {
      const wanted = formula.inputs[Math.min(i, formula.inputs.length - 1)];
      const label = wanted?.label ?? 'Point';
      const unit = wanted?.unit ?? null;
      // Only what can be told in the unit that is wanted; where any will do, in that of the first.
      const [first] = chosen;
      const told = unit ?? (i > 0 ? this.points().find((point) => point.id === first)?.unit : undefined);
      const points = told === undefined ? this.points() : this.points().filter((point) => unitChange(point.unit, told) !== null);
      return { id, points, label: unit ? `${label}, in ${unit}` : label, removable: i >= formula.inputs.length };
    });
  });
  protected readonly mayAdd = computed(() => this.chosen().length < (this.formula()?.mostInputs ?? 0));
  private readonly inputs = computed(() => this.chosen().flatMap((id) => this.points().find((point) => point.id === id) ?? []));
  /** What is wrong with what is chosen; `null`: nothing. */
  protected readonly wrong = computed((): string | null => {
    const [formula, inputs] = [this.formula(), this.inputs()];
    if (!formula) return 'Choose a formula.';
    if (inputs.length < this.chosen().length) return 'Choose the points.';
    const pairs = this.pairs();
    if (pairs === null) return 'A row of the table is two figures: the level, a space or a semicolon, the litres.';
    return (
      inputsProblem(
        formula,
        inputs.map(({ unit }) => unit),
      ) ?? pairsProblem(formula, pairs)
    );
  });
  protected readonly severalInputs = computed(() => this.chosen().length > 1);

  constructor() {
    effect(() => {
      const edits = this.edits();
      untracked(() => this.begin(edits));
    });
  }

  private begin(edits: Computed | null): void {
    this.said.set(null);
    const idOf = (one: { node: string; point: string }): number | null =>
      this.points().find(({ node, name }) => node === one.node && name === one.point)?.id ?? null;
    this.formulaId.set(edits?.formula ?? null);
    this.chosen.set(edits?.inputs.map(idOf) ?? []);
    this.figures.set(edits?.parameters ?? {});
    this.tolerance.set(edits?.toleranceSeconds ?? 300);
    this.table.set((edits?.pairs ?? []).map((row) => row.join('  ')).join('\n'));
    const wanted = this.wants();
    if (edits === null && wanted) this.choose(wanted.formula, wanted.point);
  }

  /** A formula and a first point that are wanted from elsewhere, to begin with. */
  readonly wants = input<{ readonly formula: string; readonly point: number } | null>(null);
  protected choose(id: string, first: number | null = null): void {
    this.formulaId.set(id);
    const formula = this.formula();
    if (!formula) return;
    // What was chosen before stays where the new one has a place for it.
    this.chosen.update((before) => formula.inputs.map((_, i) => before[i] ?? null));
    if (first !== null) this.put(0, first);
    if (!formula.pairs) this.table.set('');
    this.figures.set(Object.fromEntries(formula.parameters.map(({ name, usual }) => [name, usual])));
    if ((this.draft().label ?? '') === '' && this.edits() === null) this.form.controls.label.setValue(formula.title);
  }
  protected put(place: number, id: number): void {
    this.chosen.update((before) => before.map((one, i) => (i === place ? id : one)));
    const room = this.draft().room ?? '';
    if (place === 0 && room === '') this.form.controls.room.setValue(this.roomOf(id));
  }
  private roomOf(id: number): string {
    const node = this.points().find((point) => point.id === id)?.node;
    return this.nodes().find((one) => one.id === node)?.room ?? '';
  }
  readonly nodes = input.required<readonly { readonly id: string; readonly room: string }[]>();
  protected addSlot(): void {
    this.chosen.update((before) => [...before, null]);
  }
  protected dropSlot(place: number): void {
    this.chosen.update((before) => before.filter((_, i) => i !== place));
  }
  /** Figures that go together are set together; each may be changed after. */
  protected takePreset(name: string): void {
    const preset = this.formula()?.presets?.choices.find((one) => one.name === name);
    if (preset) this.figures.update((before) => ({ ...before, ...preset.figures }));
  }
  protected setFigure(name: string, value: number): void {
    this.figures.update((before) => ({ ...before, [name]: value }));
  }

  protected async keep(): Promise<void> {
    const edits = this.edits();
    const place = edits === null ? bodyOf(this.form, named) : { label: '', room: '' };
    const wrong = this.wrong();
    this.said.set(wrong);
    if (!place || wrong !== null || this.working()) return;
    const rule = {
      formula: this.formulaId() ?? '',
      inputs: this.inputs().map(({ node, name }) => ({ node, point: name })),
      parameters: { ...this.figures() },
      pairs: this.pairs() ?? [],
      toleranceSeconds: this.tolerance(),
    };
    this.working.set(true);
    try {
      const answer =
        edits === null
          ? await this.api.call(endpoints.add, { body: { ...place, ...rule } })
          : await this.api.call(endpoints.change, { params: { id: edits.id }, body: { ...rule, from: edits.version } });
      this.form.reset({ label: '', room: '' });
      this.begin(null);
      this.kept.emit(answer);
    } catch (error) {
      this.said.set(edits === null ? placeProblem(this.form, error) : messageOf(error));
    } finally {
      this.working.set(false);
    }
  }
}
