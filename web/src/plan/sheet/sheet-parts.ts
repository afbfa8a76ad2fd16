import { feedOf, sheetDraftSchema, type PartProfile, type SheetDraft } from '@dewpost/core/circuit';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatAutocompleteModule } from '@angular/material/autocomplete';
import { MatButton, MatIconButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatTooltip } from '@angular/material/tooltip';
import { X } from 'lucide';
import { asWords, ChoiceField, type Choice } from '../../parts/choice-field';
import { hasWords } from '../../parts/has-words';
import { useIcons } from '../../parts/icons';
import { TextField, ValueField } from '../../parts/value-field';
import { letterOf } from './pin-ledger';
import { NO_LOAD, SheetDesk, type Load } from './sheet-desk';

type Place = SheetDraft['parts'][number];

/** What can be said of a part on a sheet: how it is fed and driven, and what it hangs on. */
const NOTHING_ASKED = { feed: false, drive: false, hangsOn: false };
const asksOf = (profile: PartProfile): typeof NOTHING_ASKED => {
  const fed = feedOf(profile);
  const onBus = profile.terminals.some((terminal) => terminal.signal === 'i2c');
  return {
    feed: (fed === 'supply' || fed === 'resistor') && profile.output === null && !onBus,
    drive: fed === 'pin',
    hangsOn: profile.measuresVoltsMax !== null || (fed === 'source' && profile.measures === 'other'),
  };
};
const named = (profiles: ReadonlyMap<string, { readonly id: string; readonly name: string }>): Choice<string>[] =>
  [...profiles.values()].map(({ id, name }) => ({ value: id, words: name }));

const FEEDS: readonly Choice<NonNullable<Place['feed']>>[] = [
  { value: 'always', words: 'always on' },
  { value: 'pin', words: 'from a pin' },
  { value: 'transistor', words: 'by a switch' },
];
const DRIVES: readonly Choice<NonNullable<Place['drive']>>[] = [
  { value: 'pin', words: 'its pin' },
  { value: 'transistor', words: 'a transistor' },
];
const MACHINES: readonly Choice<Load['machine']>[] = [
  { value: 'none', words: 'nothing of these' },
  { value: 'heater', words: 'heater' },
  { value: 'pump', words: 'pump' },
  { value: 'gate', words: 'motorised gate' },
  { value: 'dump', words: 'dump load' },
];

/** Board, supply and parts of the sheet in hand, and what outputs switch. */
@Component({
  selector: 'dp-sheet-parts',
  imports: [
    MatCheckbox,
    ChoiceField,
    MatAutocompleteModule,
    MatButton,
    MatFormFieldModule,
    MatIcon,
    MatIconButton,
    MatInput,
    MatTooltip,
    TextField,
    ValueField,
  ],
  templateUrl: './sheet-parts.html',
  styleUrls: ['./sheet-parts.scss', './pane-head.scss'],
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SheetParts {
  protected readonly desk = inject(SheetDesk);
  protected readonly feeds = FEEDS;
  protected readonly drives = DRIVES;
  protected readonly machines = MACHINES;
  protected readonly loadKinds = asWords<Load['kind']>(['resistive', 'inductive', 'motor', 'lamp', 'dc']);
  protected readonly safeStates = asWords<Load['safe']>(['off', 'on']);
  protected readonly wakes = asWords(sheetDraftSchema.shape.wake.unwrap().options);
  protected readonly noLoad = NO_LOAD;
  /** The output whose load is being said. */
  protected readonly opened = signal<string | null>(null);
  protected readonly words = signal('');

  protected readonly boards = computed(() => named(this.desk.catalogue().boards));
  protected readonly supplies = computed(() => named(this.desk.catalogue().supplies));
  protected readonly antennas = computed(() => named(this.desk.catalogue().antennas));
  protected readonly rows = computed(() =>
    this.desk.draft().parts.map((place, i) => {
      const profile = this.desk.catalogue().parts.get(place.part) ?? null;
      return { place, letter: letterOf(i), profile, asks: profile ? asksOf(profile) : NOTHING_ASKED };
    }),
  );
  protected readonly price = computed(
    () =>
      (this.desk.board()?.price ?? 0) +
      (this.desk.supply()?.price ?? 0) +
      (this.desk.catalogue().antennas.get(this.desk.draft().antenna)?.price ?? 0) +
      this.rows().reduce((sum, row) => sum + (row.profile?.price ?? 0), 0),
  );
  /** Parts by kind, those that have every word that was typed in their name, id or kind. */
  protected readonly groups = computed(() => {
    const wanted = hasWords(this.words());
    const groups = new Map<string, PartProfile[]>();
    for (const part of this.desk.catalogue().parts.values())
      if (wanted(`${part.name} ${part.id} ${part.group}`)) groups.set(part.group, [...(groups.get(part.group) ?? []), part]);
    return [...groups].map(([name, parts]) => ({ name, parts }));
  });

  constructor() {
    useIcons({ x: X });
  }

  protected take(part: string): void {
    this.words.set('');
    const ref = this.desk.add(part);
    if (ref !== null && this.desk.catalogue().parts.get(part)?.output) this.opened.set(ref);
  }
  protected addressOf(ref: string): string {
    const address = this.desk.assignment()?.addresses.get(ref);
    return address === undefined ? '' : `, 0x${address.toString(16)}`;
  }
  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
}
