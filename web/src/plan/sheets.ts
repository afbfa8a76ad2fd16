import { plan, type SheetPoint } from '@dewpost/contract';
import { catalogueOf, sheetDifferences } from '@dewpost/core/circuit';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, resource, signal } from '@angular/core';
import { MatDialog } from '@angular/material/dialog';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Plus, TriangleAlert } from 'lucide';
import { Counted } from '../parts/counted';
import { Api, messageOf } from '../data/api';
import { placeFeature } from '../data/reducers';
import { Icon } from '../parts/icon';
import { dayAndTime } from '../parts/times';
import { openNewNodes } from '../shell/new-nodes';
import { profilesOf } from './catalogue-reply';
import { PlanPages } from './plan-pages';

/** Build sheets: what a kind of node is made of, how it is wired and which points follow from it. */
@Component({
  selector: 'dp-sheets',
  imports: [Counted, Icon, PlanPages, RouterLink],
  templateUrl: './sheets.html',
  styles: `
    .sheets-row {
      padding-top: 10px;
    }
    .sheets-row .pick {
      flex-wrap: wrap;
      height: auto;
    }
    .sheets-row .pick button {
      height: 26px;
    }
    .names a {
      display: inline-block;
      margin-right: 12px;
      color: var(--spruce);
      text-decoration: underline;
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Sheets {
  private readonly api = inject(Api);
  private readonly dialogs = inject(MatDialog);
  protected readonly icons = { Plus, TriangleAlert };
  private readonly store = inject(Store);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly site = this.store.selectSignal(placeFeature.selectSite);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  private readonly picked = signal<string | null>(null);
  protected readonly all = computed(() => (this.sheets.hasValue() ? this.sheets.value() : []));
  protected readonly sheet = computed(() => this.all().find((sheet) => sheet.slug === this.picked()) ?? this.all()[0] ?? null);
  protected readonly problem = computed(() => (this.sheets.error() ? messageOf(this.sheets.error()) : null));

  protected readonly versions = resource({
    params: () => this.sheet()?.slug,
    loader: ({ params: slug }) => this.api.call(plan.sheetVersions, { params: { slug } }),
  });
  private readonly profiles = resource({ loader: () => this.api.call(plan.catalogue, {}) });
  /** Each version with what it changed of the one before it. */
  protected readonly history = computed(() => {
    if (!this.versions.hasValue() || !this.profiles.hasValue()) return [];
    const catalogue = catalogueOf(profilesOf(this.profiles.value()));
    return this.versions.value().map((one, i, all) => {
      const before = all[i + 1]?.draft;
      return { ...one, changes: one.draft && before ? sheetDifferences(before, one.draft, catalogue) : [] };
    });
  });

  protected when(ms: number): string {
    return dayAndTime(ms, this.site()?.timezone ?? 'UTC');
  }
  protected range(point: SheetPoint): string {
    return point.kind === 'switched' ? 'off, on' : `${point.min} to ${point.max} ${point.unit}`;
  }
  protected about(point: SheetPoint): string {
    if (point.derived) return `computed from ${point.derived.from.join(' and ')}`;
    if (!point.output) return `sensor measures ${point.physicalMin} to ${point.physicalMax} ${point.unit}`;
    const { guards, leaseSeconds, readBack } = point.output;
    const span = (seconds: number): string => formatDuration(seconds * 1000);
    const run = guards.maxRunSeconds === null ? '' : `, runs at most ${span(guards.maxRunSeconds)}`;
    return `fail-safe off, lease ${leaseSeconds} s, on at least ${span(guards.minOnSeconds)}, off at least ${span(guards.minOffSeconds)}${run}; ${readBack} read back`;
  }
  protected pick(slug: string): void {
    this.picked.set(slug);
  }
  protected make(): void {
    openNewNodes(this.dialogs);
  }
}
