import type { AddressPlan } from '../network';
import type { PlanLink } from '../radio';
import type { SitePlan } from '../site-plan';
import type { Check, SupplyRole } from '../circuit';

/** One thing that fails or warns anywhere in the plan, with what finding it out later would cost. */
export interface Finding {
  readonly verdict: 'fail' | 'warn';
  readonly title: string;
  readonly detail: string;
  /** Nodes that it touches. */
  readonly nodes: number;
  /** It may hurt someone, or burn: before everything else. */
  readonly harm: boolean;
  /** Hours of work that it costs when it is found after building. Common practice, from memory. */
  readonly hoursLater: number;
  /** Where to mend it. */
  readonly at:
    | { readonly page: 'sheet'; readonly slug: string }
    | { readonly page: 'site plan'; readonly node: string | null }
    | { readonly page: 'addresses' };
}

export interface SiteSheet {
  readonly slug: string;
  readonly name: string;
  readonly nodes: number;
  readonly behind: number;
  readonly checks: readonly Check[];
  /** How long its supply carries a node, the low end, and what that means; `null` without a battery. */
  readonly battery: { readonly role: SupplyRole; readonly days: number } | null;
}

export interface SiteNode {
  readonly id: string;
  readonly room: string;
}

/** Everything that is planned of a site. */
export interface SitePlanned {
  readonly sheets: readonly SiteSheet[];
  readonly nodes: readonly SiteNode[];
  readonly plan: SitePlan;
  readonly links: readonly { readonly node: { readonly node: string }; readonly link: PlanLink | null }[];
  /** Names of the networks; passphrases are sealed and were checked when they were typed. */
  readonly networks: readonly string[] | null;
  readonly addresses: {
    readonly how: 'static' | 'reserved' | 'router';
    readonly subnets: readonly (AddressPlan & { readonly id: string })[];
    readonly nodes: readonly { readonly node: string; readonly address: string | null; readonly subnet: string }[];
  } | null;
}

/** Hours of a visit, of hanging a node elsewhere, of writing it again. Common practice, from memory. */
export const VISIT_HOURS = 0.5;
export const MOVE_HOURS = 1.5;
export const REWRITE_HOURS = 0.2;
