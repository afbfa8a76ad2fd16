import { addressing, plan as planCalls, sitePlan } from '@dewpost/contract';
import { catalogueOf, checkSheet, energyOf, type Energy } from '@dewpost/core/circuit';
import { siteFindings, type Finding, type SiteSheet } from '@dewpost/core/findings';
import { formatNumber } from '@dewpost/core/quantity';
import { planLinks } from '@dewpost/core/radio';
import { ChangeDetectionStrategy, Component, computed, inject, resource } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatSort, MatSortHeader } from '@angular/material/sort';
import { MatTableModule } from '@angular/material/table';
import { Router } from '@angular/router';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { selectBoardNodes } from '../../data/selectors';
import { downloadCsv } from '../../parts/download-csv';
import { LongRows, pagesOf } from '../../parts/long-rows';
import { sortedRows } from '../../parts/sorted-rows';
import { Selection } from '../../shell/selection';
import { profilesOf } from '../../data/catalogue-reply';
import { PlanPages } from '../common/plan-pages';
import { partsOf } from '../site/plan-jobs';
import { radioFacts } from '../site/radio-facts';
import { steadyChance } from '../common/steady-chance';

/** How long a sheet's battery carries its node, the low end; `null` without one. */
const batteryOf = (energy: Energy | null): SiteSheet['battery'] =>
  energy?.bridgingDays ? { role: energy.role, days: energy.bridgingDays.low } : null;

/** Everything in the plan that fails or warns, dearest to find out later first; each line leads to its place. */
@Component({
  selector: 'dp-site-checks',
  imports: [LongRows, MatSort, MatSortHeader, MatButton, MatTableModule, PlanPages],
  templateUrl: './checks.html',
  styles: `
    .findings td {
      font-size: 12px;
    }
    .findings .row-head {
      max-width: 290px;
    }
    .later > span {
      white-space: nowrap;
    }
    .cost {
      display: inline-block;
      vertical-align: middle;
      margin-right: 6px;
    }
    .harm {
      background: var(--carmine-w);
      box-shadow: inset 3px 0 var(--carmine);
    }
    .note {
      padding: 10px 16px 16px 56px;
      font-size: 12px;
    }
    @media (max-width: 899px) {
      .note {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class SiteChecks {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly selection = inject(Selection);
  private readonly nodes = this.store.selectSignal(selectBoardNodes);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly read = resource({
    params: () => this.me()?.role ?? undefined,
    loader: async ({ params: role }) => {
      const maker = role === 'maker';
      const [catalogue, sheets, drawn, networks, addresses] = await Promise.all([
        this.api.call(planCalls.catalogue, {}),
        this.api.call(planCalls.sheets, {}),
        this.api.call(sitePlan.read, {}),
        // Networks and addresses are for makers' eyes.
        maker ? this.api.call(addressing.networks, {}) : null,
        maker ? this.api.call(addressing.addresses, {}) : null,
      ]);
      return { catalogue: catalogueOf(profilesOf(catalogue)), sheets, plan: drawn.plan, networks, addresses };
    },
  });
  protected readonly columns = ['mark', 'what', 'why', 'nodes', 'later', 'tools'];
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly loaded = computed(() => this.read.hasValue());
  protected readonly found = computed((): Finding[] => {
    if (!this.read.hasValue()) return [];
    const { catalogue, sheets, plan, networks, addresses } = this.read.value();
    return siteFindings({
      sheets: sheets.map(({ slug, name, nodes, behind, body: { draft } }) => ({
        slug,
        name,
        nodes,
        behind,
        checks: draft ? checkSheet(draft, catalogue).checks : [],
        battery: draft ? batteryOf(energyOf(draft, catalogue, steadyChance(), 200)) : null,
      })),
      nodes: this.nodes().map((node) => ({ id: node.id, room: node.room })),
      plan,
      links: planLinks(plan, partsOf(radioFacts(catalogue, sheets, this.nodes()))),
      networks: networks?.networks.map((network) => network.name) ?? null,
      addresses: addresses?.addressing ? { ...addresses.addressing, nodes: addresses.nodes } : null,
    });
  });
  protected readonly sorted = sortedRows<Finding>(this.found, {
    what: ({ title }) => title,
    nodes: ({ nodes }) => nodes,
    later: ({ hoursLater }) => hoursLater,
  });
  protected readonly pages = pagesOf(this.sorted.rows);
  protected readonly fails = computed(() => this.found().filter((one) => one.verdict === 'fail').length);
  protected readonly hours = computed(() => this.found().reduce((sum, one) => sum + one.hoursLater, 0));
  private readonly most = computed(() => Math.max(1, ...this.found().map((one) => one.hoursLater)));

  protected number(value: number, decimals: number): string {
    return formatNumber(value, decimals);
  }
  protected bar(one: Finding): number {
    return Math.max(2, (one.hoursLater / this.most()) * 89);
  }
  protected where({ at }: Finding): string {
    return at.page === 'sheet' ? 'Open sheet' : at.page === 'site plan' ? 'Show on plan' : 'Addresses';
  }
  protected go({ at }: Finding): void {
    if (at.page === 'sheet') void this.router.navigate(['/plan/sheet', at.slug]);
    else if (at.page === 'addresses') void this.router.navigate(['/plan/addresses']);
    else {
      if (at.page === 'site plan' && at.node !== null) this.selection.nodes.set(new Set([at.node]));
      void this.router.navigate(['/plan/site']);
    }
  }
  protected csv(): void {
    downloadCsv('findings.csv', [
      ['verdict', 'what', 'why', 'nodes', 'hours later', 'may hurt'],
      ...this.found().map((one) => [
        one.verdict,
        one.title,
        one.detail,
        String(one.nodes),
        one.hoursLater.toFixed(1),
        one.harm ? 'yes' : 'no',
      ]),
    ]);
  }
}
