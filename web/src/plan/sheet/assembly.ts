import { plan as planCalls } from '@dewpost/contract';
import { assemblySteps, assignPins, catalogueOf, wiringOf } from '@dewpost/core/circuit';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatCheckbox } from '@angular/material/checkbox';
import { MatIcon } from '@angular/material/icon';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Printer, TriangleAlert } from 'lucide';
import { Counted } from '../../parts/counted';
import { Api, messageOf } from '../../data/api';
import { useIcons } from '../../parts/icons';
import { PlainTable, type PlainColumn, type PlainRow } from '../../parts/plain-table';
import { placeFeature } from '../../data/reducers';
import { dayAndTime } from '../../parts/times';
import { profilesOf } from '../../data/catalogue-reply';

const WIRE_COLUMNS: readonly PlainColumn[] = [
  { id: 'from', label: 'From', kind: 'figure' },
  { id: 'to', label: 'To', kind: 'words' },
  { id: 'colour', label: 'Colour', kind: 'words' },
  { id: 'through', label: 'Through', kind: 'words' },
];

/** How one node is put together, step by step: cautions at their step, ticks that are kept with the node. */
@Component({
  selector: 'dp-assembly',
  imports: [Counted, MatButton, MatCheckbox, MatIcon, PlainTable, RouterLink],
  template: `<header class="page-head">
      <div class="title">
        <h1>Building {{ node() }}</h1>
        <small>{{ state()?.sheet }}, version {{ state()?.version }}; {{ done() }} of {{ steps().length | counted: 'step' }} done</small>
      </div>
      <div class="tools">
        <button matButton="outlined" type="button" (click)="print()"><mat-icon svgIcon="printer" />Print</button>
        <a matButton="outlined" routerLink="/plan">Build sheets</a>
      </div>
    </header>
    @if (problem(); as text) {
      <p class="said" role="alert">{{ text }}</p>
    } @else if (!loaded()) {
      <p class="waiting">Reading the sheet</p>
    } @else if (steps().length === 0) {
      <p class="waiting">The sheet of this node was not drawn here, or its pins cannot be found any more: there is no order to show.</p>
    } @else {
      <div class="work">
        <div class="main" tabindex="0" role="region" aria-label="Steps">
          @if (said(); as text) {
            <p class="said" role="alert">{{ text }}</p>
          }
          <ol class="steps">
            @for (step of steps(); track step.id) {
              <li [class.done]="step.tick">
                <mat-checkbox [checked]="step.tick !== null" (change)="tick(step.id, step.tick === null)">{{ step.text }}</mat-checkbox>
                @if (step.caution) {
                  <p class="with-icon caution"><mat-icon class="of-16" svgIcon="caution" /> {{ step.caution }}</p>
                }
                @if (step.tick; as by) {
                  <p class="quiet">{{ by }}</p>
                }
              </li>
            }
          </ol>
          <dp-plain-table class="in-page" caption="Wiring" [pairs]="true" [columns]="wireColumns" [rows]="wireRows()" />
        </div>
      </div>
    }`,
  styles: `
    .steps {
      padding: 8px 16px 8px 56px;
      max-width: 900px;
    }
    li {
      padding: 8px 0;
      border-bottom: 1px solid var(--hair);
    }
    .caution {
      padding-left: 26px;
      font-size: 12px;
      align-items: flex-start;
      line-height: 18px;
    }
    .quiet {
      padding-left: 26px;
      font-size: 12px;
    }
    .done mat-checkbox {
      --mat-checkbox-label-text-color: var(--ink-2);
    }
    @media (max-width: 899px) {
      .steps {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Assembly {
  private readonly api = inject(Api);
  private readonly site = inject(Store).selectSignal(placeFeature.selectSite);
  private readonly zone = computed(() => this.site()?.timezone ?? 'UTC');
  protected readonly wireColumns = WIRE_COLUMNS;
  readonly node = input.required<string>();
  private readonly profiles = resource({ loader: () => this.api.call(planCalls.catalogue, {}) });
  private readonly read = resource({
    params: () => this.node(),
    loader: ({ params: id }) => this.api.call(planCalls.ticks, { params: { id } }),
  });
  protected readonly problem = computed(() => {
    const error = this.profiles.error() ?? this.read.error();
    return error ? messageOf(error) : null;
  });
  protected readonly loaded = computed(() => this.profiles.hasValue() && this.read.hasValue());
  protected readonly state = computed(() => (this.read.hasValue() ? this.read.value() : null));
  protected readonly said = signal<string | null>(null);

  private readonly sheet = computed(() => {
    const draft = this.state()?.draft;
    if (!draft || !this.profiles.hasValue()) return null;
    const catalogue = catalogueOf(profilesOf(this.profiles.value()));
    const board = catalogue.boards.get(draft.board);
    const pins = assignPins(draft, catalogue);
    return board && pins.ok ? { draft, catalogue, board, assignment: pins.assignment } : null;
  });
  protected readonly wireRows = computed((): PlainRow[] => {
    const sheet = this.sheet();
    const wires = sheet ? wiringOf(sheet.draft, sheet.board, sheet.catalogue, sheet.assignment) : [];
    return wires.map(({ from, to, colour, through }) => ({ from, to, colour, through }));
  });
  protected readonly steps = computed(() => {
    const sheet = this.sheet();
    if (!sheet) return [];
    const ticks = new Map(this.state()?.ticks.map((tick) => [tick.step, `${tick.by}, ${dayAndTime(tick.at, this.zone())}`]));
    return assemblySteps(sheet.draft, sheet.board, sheet.catalogue, sheet.assignment).map((step) => ({
      ...step,
      tick: ticks.get(step.id) ?? null,
    }));
  });
  protected readonly done = computed(() => this.steps().filter((step) => step.tick !== null).length);

  constructor() {
    useIcons({ printer: Printer, caution: TriangleAlert });
  }

  protected async tick(step: string, done: boolean): Promise<void> {
    try {
      this.read.set(await this.api.call(planCalls.tick, { params: { id: this.node() }, body: { step, done } }));
      this.said.set(null);
    } catch (error) {
      this.said.set(messageOf(error));
      this.read.reload();
    }
  }
  protected print(): void {
    window.print();
  }
}
