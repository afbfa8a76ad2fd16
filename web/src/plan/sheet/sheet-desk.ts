import {
  BOARD_ANTENNA,
  catalogueOf,
  checkSheet,
  pointsOfSheet,
  reminderKey,
  sheetDraftSchema,
  wiringOf,
  type Catalogue,
  type Check,
  type DraftPart,
  type SheetDraft,
} from '@dewpost/core/circuit';
import { slug } from '@dewpost/core/naming';
import { computed, Injectable, signal } from '@angular/core';
import { SHEET_DRAFTS } from '../../parts/drafts';

const EMPTY: SheetDraft = {
  board: 'wifi-dual-38',
  supply: 'usb',
  antenna: BOARD_ANTENNA,
  wake: 'board timer',
  tellsWake: false,
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
const STEPS_MOST = 50;

/** What an output switches, as a draft says it. */
export type Load = NonNullable<DraftPart['load']>;
export const NO_LOAD: Load = { name: '', kind: 'resistive', amps: 0.5, safe: 'off', machine: 'none', protectedBy: '' };

/** The sheet being drawn: every change can be taken back, and what is not saved survives a reload. One a page. */
@Injectable()
export class SheetDesk {
  private slug = 'new';
  /** The version that is drawn on: what was kept of yesterday began from yesterday's. */
  readonly version = signal(0);
  readonly name = signal('');
  readonly draft = signal<SheetDraft>(EMPTY);
  readonly catalogue = signal<Catalogue>(catalogueOf([]));
  private readonly past = signal<readonly SheetDraft[]>([]);
  readonly canUndo = computed(() => this.past().length > 0);

  readonly board = computed(() => this.catalogue().boards.get(this.draft().board) ?? null);
  readonly supply = computed(() => this.catalogue().supplies.get(this.draft().supply) ?? null);
  private readonly checked = computed(() => checkSheet(this.draft(), this.catalogue()));
  readonly assignment = computed(() => this.checked().assignment);
  readonly checks = computed(() => this.checked().checks);
  readonly points = computed(() => pointsOfSheet(this.draft(), this.catalogue()));
  readonly wires = computed(() => {
    const [board, assignment] = [this.board(), this.assignment()];
    return board && assignment ? wiringOf(this.draft(), board, this.catalogue(), assignment) : [];
  });

  /** Begins with the sheet as it is stored, or with what was drawn on it before and not saved. */
  begin(slugOfSheet: string, stored: { name: string; draft: SheetDraft | undefined; version: number } | null): void {
    this.slug = slugOfSheet;
    this.past.set([]);
    const kept = readKept(localStorage.getItem(this.key()));
    this.version.set(kept?.version ?? stored?.version ?? 0);
    this.name.set(kept?.name ?? stored?.name ?? '');
    this.draft.set(kept?.draft ?? stored?.draft ?? EMPTY);
  }
  /** The sheet was saved under this name: what was drawn stays. */
  saved(slugOfSheet: string, version: number, given: SheetDraft['given'] | undefined): void {
    localStorage.removeItem(this.key());
    this.slug = slugOfSheet;
    this.version.set(version);
    this.draft.update((draft) => ({ ...draft, given: given ?? draft.given }));
  }

  change(part: Partial<SheetDraft>): void {
    this.replace({ ...this.draft(), ...part });
  }
  replace(next: SheetDraft): void {
    this.past.update((past) => [...past, this.draft()].slice(-STEPS_MOST));
    this.keep(next);
  }
  undo(): void {
    const last = this.past().at(-1);
    if (!last) return;
    this.past.update((past) => past.slice(0, -1));
    this.keep(last);
  }
  rename(name: string): void {
    this.name.set(name);
    this.keep(this.draft());
  }

  /** Adds a part under a name of its own, and gives that name; `null` for one that the catalogue does not have. */
  add(part: string): string | null {
    if (!this.catalogue().parts.has(part)) return null;
    const stem = part.split('-')[0] ?? 'part';
    const taken = new Set(this.draft().parts.map((place) => place.ref));
    let ref = stem;
    for (let n = 2; taken.has(ref); n++) ref = `${stem}-${n}`;
    this.change({ parts: [...this.draft().parts, { ref, part }] });
    return ref;
  }
  remove(ref: string): void {
    const without = <V>(record: Record<string, V>): Record<string, V> =>
      Object.fromEntries(Object.entries(record).filter(([id]) => !id.startsWith(`${ref}.`)));
    this.change({
      parts: this.draft().parts.filter((place) => place.ref !== ref),
      fixed: without(this.draft().fixed),
      dividers: without(this.draft().dividers),
    });
  }
  setPart(ref: string, part: Partial<DraftPart>): void {
    this.change({ parts: this.draft().parts.map((place) => (place.ref === ref ? { ...place, ...part } : place)) });
  }
  setLoad(ref: string, part: Partial<Load>): void {
    const load = this.draft().parts.find((place) => place.ref === ref)?.load ?? NO_LOAD;
    this.setPart(ref, { load: { ...load, ...part } });
  }
  /** Keeps a line on a pin; with none it is found by itself again. */
  keepPin(line: string, pin: string): void {
    const { [line]: _, ...rest } = this.draft().fixed;
    this.change({ fixed: pin === '' ? rest : { ...rest, [line]: pin } });
  }
  seenTo(check: Check, seen: boolean): void {
    const key = reminderKey(check);
    const others = this.draft().reminded.filter((reminded) => reminded !== key);
    this.change({ reminded: seen ? [...others, key] : others });
  }
  /** Changes what a point is called or measured in; what is as it comes needs no entry. */
  renamePoint(key: string, part: { name?: string; label?: string; unit?: string }): void {
    const before = this.draft().points[key] ?? {};
    const name = part.name === undefined ? before.name : slug(part.name).slice(0, 48).replace(/-+$/, '');
    const next = { ...before, ...part, name: name === '' || name === key ? undefined : name };
    const label = next.label?.trim();
    const { [key]: _, ...rest } = this.draft().points;
    const kept = Object.fromEntries(
      Object.entries({ ...next, label: label === '' ? undefined : label }).filter(([, value]) => value !== undefined),
    );
    this.change({ points: Object.keys(kept).length === 0 ? rest : { ...rest, [key]: kept } });
  }

  private keep(draft: SheetDraft): void {
    this.draft.set(draft);
    localStorage.setItem(this.key(), JSON.stringify({ name: this.name(), draft, version: this.version() }));
  }
  private key(): string {
    return `${SHEET_DRAFTS}.${this.slug}`;
  }
}

/** A kept draft, or `null` where none was or it was kept by another version and no longer fits. */
function readKept(text: string | null): { name: string; draft: SheetDraft; version: number | null } | null {
  if (text === null) return null;
  const { name, draft, version } = JSON.parse(text) as { name?: unknown; draft?: unknown; version?: unknown };
  const parsed = sheetDraftSchema.safeParse(draft);
  return parsed.success
    ? { name: typeof name === 'string' ? name : '', draft: parsed.data, version: typeof version === 'number' ? version : null }
    : null;
}
