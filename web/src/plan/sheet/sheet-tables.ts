import { cautionsOf, pinSuits, pointsOfSheet } from '@dewpost/core/circuit';
import { unitsFor } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, output } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatIcon } from '@angular/material/icon';
import { MatTableModule } from '@angular/material/table';
import { TriangleAlert } from 'lucide';
import { asWords, ChoiceField } from '../../parts/choice-field';
import { useIcons } from '../../parts/icons';
import { PlainTable, type PlainColumn } from '../../parts/plain-table';
import { TextField } from '../../parts/value-field';
import { SheetDesk } from './sheet-desk';

const WIRE_COLUMNS: readonly PlainColumn[] = [
  { id: 'from', label: 'From', kind: 'figure' },
  { id: 'to', label: 'To', kind: 'words' },
  { id: 'colour', label: 'Colour', kind: 'words' },
  { id: 'through', label: 'Through', kind: 'words' },
];

/** What follows from the sheet in hand: its points, its lines and their pins, its wiring, and what to mind while it is built. */
@Component({
  selector: 'dp-sheet-tables',
  imports: [ChoiceField, MatButton, MatIcon, MatTableModule, PlainTable, TextField],
  templateUrl: './sheet-tables.html',
  styleUrl: './sheet-tables.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SheetTables {
  protected readonly desk = inject(SheetDesk);
  readonly csvWanted = output<void>();
  readonly svgWanted = output<void>();
  protected readonly pointColumns = ['name', 'point', 'unit', 'range', 'born'];
  protected readonly lineColumns = ['line', 'signal', 'pin', 'keep'];
  protected readonly wireColumns = WIRE_COLUMNS;
  protected readonly byKey = (_: number, { key }: { key: string }): string => key;
  protected readonly byLine = (_: number, { line }: { line: { id: string } }): string => line.id;
  protected readonly cautions = computed(() => cautionsOf(this.desk.draft(), this.desk.catalogue()));
  protected readonly wireRows = computed(() => this.desk.wires().map(({ from, to, colour, through }) => ({ from, to, colour, through })));
  protected readonly lines = computed(() => {
    const [board, assignment] = [this.desk.board(), this.desk.assignment()];
    return (assignment?.lines ?? []).map((line) => ({
      line,
      pin: assignment?.pins.get(line.id) ?? '',
      kept: this.desk.draft().fixed[line.id] ?? '',
      suits: [
        { value: '', words: 'by itself' },
        ...asWords(board ? board.pins.filter((pin) => pinSuits(board, line, pin)).map((pin) => pin.name) : []),
      ],
    }));
  });
  /** Points by the name they come with, which is what a change of them is kept under. */
  protected readonly pointRows = computed(() => {
    const bare = pointsOfSheet({ ...this.desk.draft(), points: {} }, this.desk.catalogue());
    const names = this.desk.points().map((point) => point.name);
    return this.desk.points().map((point, i) => ({
      key: bare[i]?.name ?? point.name,
      point,
      units: asWords(unitsFor(bare[i]?.unit ?? point.unit)),
      problem: names.indexOf(point.name) === i ? null : `${point.name} stands here twice`,
    }));
  });

  constructor() {
    useIcons({ caution: TriangleAlert });
  }
}
