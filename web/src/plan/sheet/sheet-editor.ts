import { buildSheetSchema, plan, type BuildSheet } from '@dewpost/contract';
import { catalogueOf, type SheetDraft } from '@dewpost/core/circuit';
import { formatSpan } from '@dewpost/core/quantity';
import {
  ChangeDetectionStrategy,
  Component,
  computed,
  effect,
  ElementRef,
  inject,
  input,
  resource,
  signal,
  untracked,
} from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatIcon } from '@angular/material/icon';
import { MatInput } from '@angular/material/input';
import { MatSliderModule } from '@angular/material/slider';
import { Router, RouterLink } from '@angular/router';
import { Printer } from 'lucide';
import { Api, ApiError, messageOf } from '../../data/api';
import { ChangedMeanwhile, differences } from '../../parts/changed-meanwhile';
import { Counted } from '../../parts/counted';
import { downloadCsv } from '../../parts/download-csv';
import { useIcons } from '../../parts/icons';
import { MoreTools } from '../../parts/more-tools';
import { ValueField } from '../../parts/value-field';
import { profilesOf } from '../../data/catalogue-reply';
import { download, svgText } from '../../parts/download-file';
import { PinLedger } from './pin-ledger';
import { EVENT_STEPS, eventsAt, eventStepOf, secondsAt, SLIDER_STEPS, stepOf } from './report-interval';
import { SheetChecks } from './sheet-checks';
import { SheetDesk } from './sheet-desk';
import { SheetEnergy } from './sheet-energy';
import { SheetParts } from './sheet-parts';
import { SheetTables } from './sheet-tables';

const SHEET_WORDS: Readonly<Partial<Record<keyof SheetDraft, string>>> = {
  board: 'board',
  supply: 'supply',
  parts: 'parts',
  reportSeconds: 'reports every, s',
  eventsPerDay: 'events a day',
  outdoors: 'outdoors',
  cableMetres: 'cable, m',
  fixed: 'pins kept',
  dividers: 'dividers',
  wake: 'woken by',
  tellsWake: 'says why it woke',
  antenna: 'antenna',
};

/** Draws one build sheet: parts, pins found by search, checks as they stand, and how long a battery lasts. */
@Component({
  selector: 'dp-sheet-editor',
  imports: [
    ChangedMeanwhile,
    Counted,
    MatButton,
    MatCheckbox,
    MatFormFieldModule,
    MatIcon,
    MatInput,
    MatSliderModule,
    MoreTools,
    PinLedger,
    RouterLink,
    SheetChecks,
    SheetEnergy,
    SheetParts,
    SheetTables,
    ValueField,
  ],
  providers: [SheetDesk],
  templateUrl: './sheet-editor.html',
  styleUrls: ['./sheet-editor.scss', './pane-head.scss'],
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SheetEditor {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly desk = inject(SheetDesk);
  /** Which sheet is drawn on; `new` begins one. */
  readonly slug = input('new');
  private readonly profiles = resource({ loader: () => this.api.call(plan.catalogue, {}) });
  private readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  protected readonly loaded = computed(() => this.profiles.hasValue() && this.sheets.hasValue());
  protected readonly problem = computed(() => {
    const error = this.profiles.error() ?? this.sheets.error();
    return error ? messageOf(error) : null;
  });
  protected readonly before = signal<BuildSheet | null>(null);
  protected readonly saving = signal(false);
  protected readonly said = signal<string | null>(null);
  protected readonly sliderSteps = SLIDER_STEPS;
  protected readonly eventSteps = EVENT_STEPS;
  protected readonly stepOf = stepOf;
  protected readonly eventStepOf = eventStepOf;
  protected readonly pinsUsed = computed(
    () =>
      `${this.desk.assignment()?.pins.size ?? 0} of ${this.desk.board()?.pins.filter((pin) => pin.reserved === null).length ?? 0} free pins used`,
  );
  /** The sheet whose draft is on the page; a slug that changes because it was saved begins nothing anew. */
  private begun = '';

  constructor() {
    useIcons({ printer: Printer });
    effect(() => {
      if (this.profiles.hasValue()) this.desk.catalogue.set(catalogueOf(profilesOf(this.profiles.value())));
    });
    effect(() => {
      if (!this.sheets.hasValue() || this.begun === this.slug()) return;
      this.begun = this.slug();
      const stored = this.sheets.value().find((sheet) => sheet.slug === this.slug()) ?? null;
      untracked(() => {
        this.before.set(stored);
        this.desk.begin(this.slug(), stored && { name: stored.name, draft: stored.body.draft ?? undefined, version: stored.version });
      });
    });
  }

  protected slide(step: number): void {
    this.desk.change({ reportSeconds: secondsAt(step) });
  }
  protected slideEvents(step: number): void {
    this.desk.change({ eventsPerDay: eventsAt(step) });
  }
  protected span(seconds: number): string {
    return formatSpan(seconds);
  }
  protected print(): void {
    window.print();
  }
  /** The pin ledger as a drawing of its own. */
  protected svg(): void {
    const drawn = this.host.nativeElement.querySelector<SVGSVGElement>('dp-pin-ledger svg');
    if (drawn) download(`${this.fileName()}.svg`, 'image/svg+xml', svgText(drawn));
  }
  protected csv(): void {
    downloadCsv(`${this.fileName()}.csv`, [
      ['from', 'to', 'colour', 'through'],
      ...this.desk.wires().map((wire) => [wire.from, wire.to, wire.colour, wire.through]),
    ]);
  }
  private fileName(): string {
    return this.slug() === 'new' ? 'wiring' : this.slug();
  }

  /** What somebody else has saved since, beside what is drawn here. */
  protected readonly theirs = signal<BuildSheet | null>(null);
  private readonly base = computed(() => {
    const before = this.before();
    return before ? { slug: before.slug, version: this.desk.version() } : null;
  });
  protected readonly apart = computed(() => {
    const theirs = this.theirs();
    if (!theirs?.body.draft) return [];
    const inWords = (draft: SheetDraft) => ({
      ...draft,
      parts: draft.parts.map(
        ({ ref, part, load }) => `${ref}: ${this.desk.catalogue().parts.get(part)?.name ?? part}${load ? `, switches ${load.name}` : ''}`,
      ),
    });
    return differences(SHEET_WORDS, inWords(this.desk.draft()), inWords(theirs.body.draft));
  });
  protected takeTheirs(theirs: BuildSheet): void {
    this.seen(theirs);
    this.desk.name.set(theirs.name);
    if (theirs.body.draft) this.desk.change(theirs.body.draft);
  }
  protected saveMine(theirs: BuildSheet): void {
    this.seen(theirs);
    void this.save();
  }
  private seen(theirs: BuildSheet): void {
    this.theirs.set(null);
    this.before.set(theirs);
    this.desk.version.set(theirs.version);
  }

  protected async save(): Promise<void> {
    this.saving.set(true);
    this.said.set(null);
    try {
      const base = this.base();
      const saved = await this.api.call(plan.saveSheet, { body: { name: this.desk.name().trim(), draft: this.desk.draft(), base } });
      this.desk.saved(saved.slug, saved.version, saved.body.draft?.given);
      this.before.set(saved);
      // What was drawn stays on the page; the list is the one fetched before, so it is told of the new version.
      this.sheets.update((all) => [...(all ?? []).filter((sheet) => sheet.slug !== saved.slug), saved]);
      this.begun = saved.slug;
      this.said.set(
        `Saved as version ${saved.version}${saved.behind > 0 ? `; ${saved.behind === 1 ? '1 node still runs' : `${saved.behind} nodes still run`} an older one` : ''}.`,
      );
      if (this.slug() !== saved.slug) await this.router.navigate(['/plan/sheet', saved.slug]);
    } catch (error) {
      const current = error instanceof ApiError ? buildSheetSchema.safeParse(error.current) : null;
      if (current?.success) this.theirs.set(current.data);
      else this.said.set(messageOf(error));
    } finally {
      this.saving.set(false);
    }
  }
}
