import { buildSheetSchema, plan, sitePlan, type BuildSheet } from '@dewpost/contract';
import {
  BOARD_ANTENNA,
  sunOf,
  catalogueOf,
  cautionsOf,
  checkSheet,
  energyOf,
  feedOf,
  pinSuits,
  pointsOfSheet,
  reminderKey,
  sheetDraftSchema,
  wiringOf,
  usualSun,
  type Check,
  type DraftPart,
  type PartProfile,
  type SheetDraft,
} from '@dewpost/core/circuit';
import { slug } from '@dewpost/core/naming';
import { formatNumber, formatSpan, unitsFor } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, effect, ElementRef, inject, input, resource, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router, RouterLink } from '@angular/router';
import { Plus, Printer, TriangleAlert, X } from 'lucide';
import { Api, ApiError, messageOf } from '../data/api';
import { downloadCsv } from '../parts/download-csv';
import { SHEET_DRAFTS } from '../parts/drafts';
import { ChangedMeanwhile, differences } from '../parts/changed-meanwhile';
import { Icon } from '../parts/icon';
import { profilesOf } from './catalogue-reply';
import { letterOf, PinLedger } from './pin-ledger';
import { download, svgText } from './site/plan-files';
import { steadyChance } from './steady-chance';

const EMPTY: SheetDraft = {
  board: 'wifi-dual-38',
  supply: 'usb',
  antenna: BOARD_ANTENNA,
  wake: 'board timer',
  reportSeconds: 60,
  eventsPerDay: 0,
  outdoors: false,
  cableMetres: 0.5,
  parts: [],
  fixed: {},
  given: {},
  reminded: [],
  dividers: {},
  points: {},
  sun: null,
};
const SHORTEST = 1;
const LONGEST = 21_600;
const FILLS = ['var(--spruce)', 'var(--s7)', 'var(--rule)', 'var(--env)', 'var(--hair)', 'var(--ink-2)'];
const DAYS_PER_MONTH = 30.44;

/** A kept draft, or `null` where it was kept by another version and no longer fits. */
function readKept(text: string): { name: string; draft: SheetDraft; version: number | null } | null {
  const { name, draft, version } = JSON.parse(text) as { name?: unknown; draft?: unknown; version?: unknown };
  const parsed = sheetDraftSchema.safeParse(draft);
  return parsed.success
    ? { name: typeof name === 'string' ? name : '', draft: parsed.data, version: typeof version === 'number' ? version : null }
    : null;
}

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
  antenna: 'antenna',
};

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

/** Draws one build sheet: parts, pins found by search, checks as they stand, and how long a battery lasts. */
@Component({
  selector: 'dp-sheet-editor',
  imports: [ChangedMeanwhile, FormsModule, Icon, PinLedger, RouterLink],
  templateUrl: './sheet-editor.html',
  styleUrl: './sheet-editor.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SheetEditor {
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  protected readonly icons = { Plus, Printer, TriangleAlert, X };
  /** Which sheet is drawn on; `new` begins one. */
  readonly slug = input('new');
  protected readonly profiles = resource({ loader: () => this.api.call(plan.catalogue, {}) });
  private readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  protected readonly catalogue = computed(() =>
    this.profiles.hasValue() ? catalogueOf(profilesOf(this.profiles.value())) : catalogueOf([]),
  );
  protected readonly loaded = computed(() => this.profiles.hasValue() && this.sheets.hasValue());
  protected readonly problem = computed(() =>
    this.profiles.error() ? messageOf(this.profiles.error()) : this.sheets.error() ? messageOf(this.sheets.error()) : null,
  );
  protected readonly before = signal<BuildSheet | null>(null);
  protected readonly name = signal('');
  protected readonly draft = signal<SheetDraft>(EMPTY);
  private readonly past = signal<SheetDraft[]>([]);
  protected readonly canUndo = computed(() => this.past().length > 0);
  protected readonly saving = signal(false);
  protected readonly said = signal<string | null>(null);
  protected readonly opened = signal<string | null>(null);
  protected readonly showPassed = signal(false);

  protected readonly board = computed(() => this.catalogue().boards.get(this.draft().board) ?? null);
  protected readonly supply = computed(() => this.catalogue().supplies.get(this.draft().supply) ?? null);
  private readonly checked = computed(() => checkSheet(this.draft(), this.catalogue()));
  protected readonly assignment = computed(() => this.checked().assignment);
  protected readonly wrong = computed(() => this.checked().checks.filter((check) => check.verdict !== 'pass'));
  protected readonly allChecks = computed(() => this.checked().checks);
  protected readonly passed = computed(() => this.checked().checks.filter((check) => check.verdict === 'pass'));
  protected readonly fails = computed(() => this.wrong().filter((check) => check.verdict === 'fail').length);
  protected readonly points = computed(() => pointsOfSheet(this.draft(), this.catalogue()));
  protected readonly cautions = computed(() => cautionsOf(this.draft(), this.catalogue()));
  protected readonly wires = computed(() => {
    const [board, assignment] = [this.board(), this.assignment()];
    return board && assignment ? wiringOf(this.draft(), board, this.catalogue(), assignment) : [];
  });
  protected readonly rows = computed(() =>
    this.draft().parts.map((place, i) => {
      const profile = this.catalogue().parts.get(place.part) ?? null;
      return { place, letter: letterOf(i), profile, asks: profile ? asksOf(profile) : NOTHING_ASKED };
    }),
  );
  protected readonly price = computed(
    () =>
      (this.board()?.price ?? 0) +
      (this.supply()?.price ?? 0) +
      (this.catalogue().antennas.get(this.draft().antenna)?.price ?? 0) +
      this.rows().reduce((sum, row) => sum + (row.profile?.price ?? 0), 0),
  );
  protected readonly groups = computed(() => {
    const groups = new Map<string, PartProfile[]>();
    for (const part of this.catalogue().parts.values()) groups.set(part.group, [...(groups.get(part.group) ?? []), part]);
    return [...groups].map(([name, parts]) => ({ name, parts }));
  });
  protected readonly boards = computed(() => [...this.catalogue().boards.values()]);
  protected readonly supplies = computed(() => [...this.catalogue().supplies.values()]);
  protected readonly antennas = computed(() => [...this.catalogue().antennas.values()]);
  protected readonly wakes = sheetDraftSchema.shape.wake.unwrap().options;
  protected readonly pinsUsed = computed(
    () => `${this.assignment()?.pins.size ?? 0} of ${this.board()?.pins.filter((pin) => pin.reserved === null).length ?? 0} free pins used`,
  );
  protected readonly energy = computed(() => energyOf(this.draft(), this.catalogue(), steadyChance()));
  protected readonly bar = computed(() => {
    let x = 0;
    return (this.energy()?.shares ?? []).map((share, i) => {
      const part = { ...share, x, width: share.share * 560, fill: FILLS[i % FILLS.length] ?? 'var(--rule)' };
      x += part.width;
      return part;
    });
  });
  protected readonly perDay = computed(() => (this.energy()?.averageMilliamps ?? 0) * 24);
  protected readonly lines = computed(() =>
    (this.assignment()?.lines ?? []).map((line) => ({
      line,
      pin: this.assignment()?.pins.get(line.id) ?? '',
      kept: this.draft().fixed[line.id] ?? '',
      suits: (this.board()?.pins ?? [])
        .filter((pin) => pinSuits(this.board() as NonNullable<ReturnType<typeof this.board>>, line, pin))
        .map((pin) => pin.name),
    })),
  );
  /** Points by the name they come with, which is what a change of them is kept under. */
  protected readonly pointRows = computed(() => {
    const bare = pointsOfSheet({ ...this.draft(), points: {} }, this.catalogue());
    const names = this.points().map((point) => point.name);
    return this.points().map((point, i) => ({
      key: bare[i]?.name ?? point.name,
      point,
      units: unitsFor(bare[i]?.unit ?? point.unit),
      problem: names.indexOf(point.name) === i ? null : `${point.name} stands here twice`,
    }));
  });
  protected readonly months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec'];
  protected readonly sun = computed(() => sunOf(this.draft(), this.catalogue(), steadyChance()));
  protected readonly yearPath = computed(() => {
    const daily = this.sun()?.worst.daily ?? [];
    return `M0 44${daily.map((charge, i) => `L${i} ${(43.5 - charge * 43).toFixed(1)}`).join('')}L${Math.max(0, daily.length - 1)} 44Z`;
  });
  /** What reporting less often, or events fewer, would bring: computed, not promised. */
  protected readonly proposals = computed(() => {
    const energy = this.energy();
    if (!energy?.days) return [];
    const now = energy.days.likely;
    return [2, 4]
      .map((times) => Math.min(LONGEST, this.draft().reportSeconds * times))
      .filter((seconds, i, all) => seconds > this.draft().reportSeconds && all.indexOf(seconds) === i)
      .flatMap((reportSeconds) => {
        const then = energyOf({ ...this.draft(), reportSeconds }, this.catalogue(), steadyChance())?.days?.likely ?? now;
        return then > now * 1.1 ? [{ reportSeconds, text: `Report every ${this.span(reportSeconds)}`, life: this.life(then) }] : [];
      });
  });

  /** The sheet whose draft is on the page; a slug that changes because it was saved begins nothing anew. */
  private begun = '';

  constructor() {
    effect(() => {
      if (!this.sheets.hasValue() || this.begun === this.slug()) return;
      this.begun = this.slug();
      const found = this.sheets.value().find((sheet) => sheet.slug === this.slug()) ?? null;
      this.before.set(found);
      this.past.set([]);
      // What was drawn and not saved survives a reload.
      const kept = localStorage.getItem(`${SHEET_DRAFTS}.${this.slug()}`);
      const { name, draft, version } = (kept && readKept(kept)) || {
        name: found?.name ?? '',
        draft: found?.body.draft ?? EMPTY,
        version: null,
      };
      this.version.set(version ?? found?.version ?? 0);
      this.name.set(name);
      this.draft.set(draft);
    });
  }

  protected change(part: Partial<SheetDraft>): void {
    this.replace({ ...this.draft(), ...part });
  }
  protected replace(next: SheetDraft): void {
    this.past.update((past) => [...past, this.draft()].slice(-50));
    this.keep(next);
  }
  protected undo(): void {
    const last = this.past().at(-1);
    if (!last) return;
    this.past.update((past) => past.slice(0, -1));
    this.keep(last);
  }
  protected add(id: string): void {
    if (!this.catalogue().parts.has(id)) return;
    const stem = id.split('-')[0] ?? 'part';
    const taken = new Set(this.draft().parts.map((place) => place.ref));
    let ref = stem;
    for (let n = 2; taken.has(ref); n++) ref = `${stem}-${n}`;
    this.change({ parts: [...this.draft().parts, { ref, part: id }] });
    if (this.catalogue().parts.get(id)?.output) this.opened.set(ref);
  }
  protected remove(ref: string): void {
    const without = <V>(record: Record<string, V>): Record<string, V> =>
      Object.fromEntries(Object.entries(record).filter(([id]) => !id.startsWith(`${ref}.`)));
    this.change({
      parts: this.draft().parts.filter((place) => place.ref !== ref),
      fixed: without(this.draft().fixed),
      dividers: without(this.draft().dividers),
    });
  }
  protected loadFor(place: DraftPart): NonNullable<DraftPart['load']> {
    return place.load ?? { name: '', kind: 'resistive', amps: 0.5, safe: 'off', machine: 'none', protectedBy: '' };
  }
  protected setLoad(place: DraftPart, part: Partial<NonNullable<DraftPart['load']>>): void {
    this.change({
      parts: this.draft().parts.map((one) => (one.ref === place.ref ? { ...one, load: { ...this.loadFor(place), ...part } } : one)),
    });
  }
  protected setPart(ref: string, part: Partial<DraftPart>): void {
    this.change({ parts: this.draft().parts.map((one) => (one.ref === ref ? { ...one, ...part } : one)) });
  }
  protected readonly reminderKey = reminderKey;
  protected seenTo(check: Check, seen: boolean): void {
    const key = reminderKey(check);
    const others = this.draft().reminded.filter((one) => one !== key);
    this.change({ reminded: seen ? [...others, key] : others });
  }
  protected renamePoint(key: string, part: { name?: string; label?: string; unit?: string }): void {
    const before = this.draft().points[key] ?? {};
    const name = part.name === undefined ? before.name : slug(part.name).slice(0, 48).replace(/-+$/, '');
    const next = { ...before, ...part, name: name === '' || name === key ? undefined : name };
    const label = next.label?.trim();
    const { [key]: _, ...rest } = this.draft().points;
    // What is as it comes needs no entry.
    const kept = Object.fromEntries(
      Object.entries({ ...next, label: label === '' ? undefined : label }).filter(([, value]) => value !== undefined),
    );
    this.change({ points: Object.keys(kept).length === 0 ? rest : { ...rest, [key]: kept } });
  }
  /** Takes the latitude from the site plan, where it is drawn. */
  protected async beginSun(): Promise<void> {
    const latitude = await this.api.call(sitePlan.read, {}).then(
      (read) => (read.version === 0 ? 52 : read.plan.anchor.latitude),
      () => 52,
    );
    this.change({ sun: usualSun(latitude, this.supply()?.panel?.watts ?? 3) });
  }
  protected setSun(part: {
    panelWatts?: number | null;
    latitude?: number | null;
    tiltDegrees?: number | null;
    facingDegrees?: number | null;
  }): void {
    const sun = this.draft().sun;
    if (!sun) return;
    const held = (value: number | null | undefined, low: number, high: number, otherwise: number): number =>
      value === null || value === undefined || !Number.isFinite(value) ? otherwise : Math.max(low, Math.min(high, value));
    this.change({
      sun: {
        ...sun,
        panelWatts: held(part.panelWatts, 0.1, 500, sun.panelWatts),
        latitude: held(part.latitude, -70, 70, sun.latitude),
        tiltDegrees: held(part.tiltDegrees, 0, 90, sun.tiltDegrees),
        facingDegrees: held(part.facingDegrees, 0, 360, sun.facingDegrees),
      },
    });
  }
  protected setFrost(month: number, percent: number | null): void {
    const sun = this.draft().sun;
    if (!sun || percent === null || !Number.isFinite(percent)) return;
    this.change({
      sun: { ...sun, frost: sun.frost.map((share, i) => (i === month ? Math.max(0, Math.min(1, percent / 100)) : share)) },
    });
  }
  protected setSunshine(month: number, percent: number | null): void {
    const sun = this.draft().sun;
    if (!sun || percent === null || !Number.isFinite(percent)) return;
    this.change({
      sun: { ...sun, sunshine: sun.sunshine.map((share, i) => (i === month ? Math.max(0.02, Math.min(1, percent / 100)) : share)) },
    });
  }
  protected keepPin(line: string, pin: string): void {
    const { [line]: _, ...rest } = this.draft().fixed;
    this.change({ fixed: pin === '' ? rest : { ...rest, [line]: pin } });
  }
  /** The interval on a slider of a thousand steps, each the same factor. */
  protected readonly slider = computed(() =>
    Math.round((1000 * Math.log(this.draft().reportSeconds / SHORTEST)) / Math.log(LONGEST / SHORTEST)),
  );
  protected slide(step: number): void {
    const seconds = SHORTEST * (LONGEST / SHORTEST) ** (step / 1000);
    const steps = [1, 2, 5, 10, 15, 20, 30, 60, 120, 300, 600, 900, 1200, 1800, 3600, 7200, 10_800, 21_600];
    this.change({ reportSeconds: steps.reduce((a, b) => (Math.abs(Math.log(b / seconds)) < Math.abs(Math.log(a / seconds)) ? b : a)) });
  }
  /** Events on a slider: fine where they are few. */
  protected readonly eventSlider = computed(() => Math.round((500 * Math.log10(1 + this.draft().eventsPerDay)) / 4));
  protected slideEvents(step: number): void {
    const count = 10 ** ((4 * step) / 500) - 1;
    this.change({ eventsPerDay: Math.min(9999, count < 20 ? Math.round(count) : Math.round(count / 10) * 10) });
  }
  protected span(seconds: number): string {
    return formatSpan(seconds);
  }
  protected life(days: number): string {
    return days < 90
      ? days < 2
        ? `${formatNumber(days * 24)} hours`
        : `${formatNumber(days, days < 10 ? 1 : 0)} days`
      : days < 2 * 365
        ? `${formatNumber(days / DAYS_PER_MONTH)} months`
        : `${formatNumber(days / 365.25, 1)} years`;
  }
  protected number(value: number, decimals = 0): string {
    return formatNumber(value, decimals);
  }
  protected mark(check: Check): string {
    return check.verdict === 'fail' ? 'Fails' : check.verdict === 'warn' ? 'Warns' : 'Passes';
  }
  protected print(): void {
    window.print();
  }
  /** The pin ledger as a drawing of its own. */
  protected svg(): void {
    const drawn = this.host.nativeElement.querySelector<SVGSVGElement>('dp-pin-ledger svg');
    if (drawn) download(`${this.slug() === 'new' ? 'wiring' : this.slug()}.svg`, 'image/svg+xml', svgText(drawn));
  }
  protected csv(): void {
    downloadCsv(`${this.slug() === 'new' ? 'wiring' : this.slug()}.csv`, [
      ['from', 'to', 'colour', 'through'],
      ...this.wires().map((wire) => [wire.from, wire.to, wire.colour, wire.through]),
    ]);
  }

  /** What somebody else has saved since, beside what is drawn here. */
  protected readonly theirs = signal<BuildSheet | null>(null);
  private readonly base = computed(() => {
    const before = this.before();
    return before ? { slug: before.slug, version: this.version() } : null;
  });
  /** The version that is drawn on: what was kept of yesterday began from yesterday's. */
  private readonly version = signal(0);
  protected readonly apart = computed(() => {
    const theirs = this.theirs();
    if (!theirs?.body.draft) return [];
    const inWords = (draft: SheetDraft) => ({
      ...draft,
      parts: draft.parts.map(
        ({ ref, part, load }) => `${ref}: ${this.catalogue().parts.get(part)?.name ?? part}${load ? `, switches ${load.name}` : ''}`,
      ),
    });
    return differences(SHEET_WORDS, inWords(this.draft()), inWords(theirs.body.draft));
  });
  protected takeTheirs(theirs: BuildSheet): void {
    this.seen(theirs);
    this.name.set(theirs.name);
    if (theirs.body.draft) this.change(theirs.body.draft);
  }
  protected saveMine(theirs: BuildSheet): void {
    this.seen(theirs);
    void this.save();
  }
  private seen(theirs: BuildSheet): void {
    this.theirs.set(null);
    this.before.set(theirs);
    this.version.set(theirs.version);
  }

  protected async save(): Promise<void> {
    this.saving.set(true);
    this.said.set(null);
    try {
      const base = this.base();
      const saved = await this.api.call(plan.saveSheet, { body: { name: this.name().trim(), draft: this.draft(), base } });
      localStorage.removeItem(`${SHEET_DRAFTS}.${this.slug()}`);
      this.before.set(saved);
      this.version.set(saved.version);
      // What was drawn stays on the page; the list is the one fetched before, so it is told of the new version.
      this.sheets.update((all) => [...(all ?? []).filter((sheet) => sheet.slug !== saved.slug), saved]);
      this.begun = saved.slug;
      this.draft.update((draft) => ({ ...draft, given: saved.body.draft?.given ?? draft.given }));
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

  protected rename(name: string): void {
    this.name.set(name);
    this.keep(this.draft());
  }

  private keep(draft: SheetDraft): void {
    this.draft.set(draft);
    localStorage.setItem(`${SHEET_DRAFTS}.${this.slug()}`, JSON.stringify({ name: this.name(), draft, version: this.version() }));
  }
}
