import { formatNumber } from '../../quantity';
import type { Assignment } from '../sheet/assign';
import type { DraftPart, SheetDraft } from '../sheet/draft';
import type { BoardProfile, Catalogue, PartProfile, SupplyProfile } from '../profile';

export type Verdict = 'pass' | 'warn' | 'fail';

/** One thing that was checked: what, the figure, its limit, why it matters, and what would mend it. */
export interface Check {
  readonly id: string;
  readonly verdict: Verdict;
  readonly title: string;
  readonly figure: string;
  readonly limit: string;
  readonly reason: string;
  /** The part or line it stands at; empty: the sheet as a whole. */
  readonly at: string;
  /** Nothing to mend: what anybody is told who builds this. It can be ticked off, and costs no hours. */
  readonly reminder?: boolean;
  readonly fix?: { readonly label: string; readonly draft: SheetDraft };
}

/** A sheet laid out for its checks: everything looked up once. */
export interface Bench {
  readonly draft: SheetDraft;
  readonly board: BoardProfile;
  readonly supply: SupplyProfile;
  readonly catalogue: Catalogue;
  readonly parts: readonly { readonly place: DraftPart; readonly profile: PartProfile }[];
  /** `null`: the pins could not be given out. */
  readonly assignment: Assignment | null;
  /** It sleeps between reports. */
  readonly asleep: boolean;
}

/** One check: what it finds on a bench. */
export type CheckRun = (bench: Bench) => Check[];

/** Ω or kΩ for people. */
export const ohmsText = (value: number): string =>
  value >= 1000 ? `${formatNumber(value / 1000, value % 1000 === 0 ? 0 : 2)} kΩ` : `${formatNumber(value)} Ω`;

/** The draft with one part changed. */
export const withPart = (draft: SheetDraft, ref: string, change: Partial<DraftPart>): SheetDraft => ({
  ...draft,
  parts: draft.parts.map((place) => (place.ref === ref ? { ...place, ...change } : place)),
});

/** Does the part drive something: a load, a lamp, a coil? */
export const drives = (profile: PartProfile): boolean => profile.output !== null;
