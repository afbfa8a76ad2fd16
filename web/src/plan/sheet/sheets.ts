import { plan, type BuildSheet, type SheetPoint } from '@dewpost/contract';
import { catalogueOf, sheetDifferences } from '@dewpost/core/circuit';
import { formatDuration } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, linkedSignal, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatButtonToggleModule } from '@angular/material/button-toggle';
import { MatDialog } from '@angular/material/dialog';
import { MatIcon } from '@angular/material/icon';
import { MatTableModule } from '@angular/material/table';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Plus, TriangleAlert } from 'lucide';
import { Counted } from '../../parts/counted';
import { Api, messageOf } from '../../data/api';
import { placeFeature } from '../../data/reducers';
import { MoreTools } from '../../parts/more-tools';
import { useIcons } from '../../parts/icons';
import { PlainTable, type PlainColumn, type PlainRow } from '../../parts/plain-table';
import { dayAndTime } from '../../parts/times';
import { openNewNodes } from '../../shell/new-nodes';
import { profilesOf } from '../../data/catalogue-reply';
import { PlanPages } from '../common/plan-pages';

const POINT_COLUMNS: readonly PlainColumn[] = [
  { id: 'name', label: 'Name', kind: 'head' },
  { id: 'point', label: 'Point', kind: 'figure' },
  { id: 'kind', label: 'Kind', kind: 'words' },
  { id: 'range', label: 'Shown over', kind: 'figure' },
  { id: 'how', label: 'How', kind: 'words' },
];
const WIRE_COLUMNS: readonly PlainColumn[] = [
  { id: 'from', label: 'From', kind: 'figure' },
  { id: 'to', label: 'To', kind: 'words' },
  { id: 'through', label: 'Through', kind: 'words' },
];

/** Build sheets: what a kind of node is made of, how it is wired and which points follow from it. */
@Component({
  selector: 'dp-sheets',
  imports: [Counted, MatButton, MatButtonToggleModule, MatIcon, MatTableModule, MoreTools, PlainTable, PlanPages, RouterLink],
  templateUrl: './sheets.html',
  styles: `
    .ask {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      align-items: center;
    }
    .sheets-row {
      padding-top: 10px;
    }
    mat-button-toggle-group {
      flex-wrap: wrap;
    }
    .versions caption {
      text-align: left;
      font-weight: 650;
      padding: 14px 16px 6px 56px;
    }
    .versions .mat-column-version {
      padding-left: 56px;
    }
    @media (max-width: 899px) {
      .versions caption {
        padding-left: 16px;
      }
      .versions .mat-column-version {
        padding-left: 0;
      }
    }
    .name {
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
  protected readonly pointColumns = POINT_COLUMNS;
  protected readonly wireColumns = WIRE_COLUMNS;
  protected readonly versionColumns = ['version', 'changes', 'nodes'];
  protected readonly byVersion = (_: number, { version }: { version: number }): number => version;
  private readonly store = inject(Store);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  private readonly site = this.store.selectSignal(placeFeature.selectSite);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly sheets = resource({ loader: () => this.api.call(plan.sheets, {}) });
  protected readonly picked = signal<string | null>(null);
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

  /** The sheet that is asked about before it is taken away: choosing another asks no more. */
  protected readonly asking = linkedSignal<string | undefined, string | null>({
    source: () => this.sheet()?.slug,
    computation: () => null,
  });
  protected readonly said = signal<string | null>(null);

  constructor() {
    useIcons({ plus: Plus, caution: TriangleAlert });
  }

  protected pointRows({ body }: BuildSheet): PlainRow[] {
    return body.points.map((point) => ({
      name: point.label,
      point: point.name,
      kind: point.kind,
      range: this.range(point),
      how: this.about(point),
    }));
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.site()?.timezone ?? 'UTC');
  }
  private range(point: SheetPoint): string {
    return point.kind === 'switched' ? 'off, on' : `${point.min} to ${point.max} ${point.unit}`;
  }
  private about(point: SheetPoint): string {
    if (point.derived) return `computed from ${point.derived.from.join(' and ')}`;
    if (!point.output) return `sensor measures ${point.physicalMin} to ${point.physicalMax} ${point.unit}`;
    const { guards, leaseSeconds, readBack } = point.output;
    const span = (seconds: number): string => formatDuration(seconds * 1000);
    const run = guards.maxRunSeconds === null ? '' : `, runs at most ${span(guards.maxRunSeconds)}`;
    return `fail-safe off, lease ${leaseSeconds} s, on at least ${span(guards.minOnSeconds)}, off at least ${span(guards.minOffSeconds)}${run}; ${readBack} read back`;
  }
  protected async takeAway(slug: string, name: string): Promise<void> {
    this.asking.set(null);
    try {
      await this.api.call(plan.retireSheet, { params: { slug } });
      this.said.set(`${name} is taken away.`);
      this.picked.set(null);
      this.sheets.reload();
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
  protected make(): void {
    openNewNodes(this.dialogs);
  }
}
