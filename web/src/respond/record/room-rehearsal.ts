import type { Point, Threshold } from '@dewpost/contract';
import { engineRule, othersOf, usualGapMs, type Reports } from '@dewpost/core/alarm';
import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatProgressBar } from '@angular/material/progress-bar';
import { MatSelectModule } from '@angular/material/select';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allNodes, allPoints, allRelays, allThresholds } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { PlainTable, type PlainRow } from '../../parts/plain-table';
import { rehearsedOutput } from '../rule/rehearsed-output';
import { ruleTitle } from '../rule/rule-words';
import { loadRecord } from './load-record';
import { COLUMNS_WITH_OUTPUT, outputCells, rowOf } from './record-rows';
import { RecordSpanChoice, timesOf, type RecordSpan } from './record-span';
import { Rehearser } from './rehearser';

/** What every rule of a room would have done over its record, beside each other: the same engine, a record at a time. */
@Component({
  selector: 'dp-room-rehearsal',
  imports: [MatButton, MatFormFieldModule, MatProgressBar, MatSelectModule, PlainTable, RecordSpanChoice],
  providers: [Rehearser],
  template: `
    <form class="row" (submit)="rehearse($event)">
      <mat-form-field>
        <mat-label>A room’s rules over its record</mat-label>
        <mat-select id="room-rehearsed" [value]="room()" (selectionChange)="choose($event.value)" hideSingleSelectionIndicator>
          @for (each of rooms(); track each) {
            <mat-option [value]="each">{{ each }}</mat-option>
          }
        </mat-select>
      </mat-form-field>
      <dp-record-span fieldId="room-span" [zone]="zone()" [(span)]="span" />
      <button matButton="outlined" type="submit" [disabled]="room() === null || busy()">Rehearse them</button>
    </form>
    @if (busy()) {
      <mat-progress-bar mode="determinate" [value]="(100 * rows().length) / rules().length" aria-label="Rules that are rehearsed" />
    }
    @if (problem(); as words) {
      <p class="said" role="alert">{{ words }}</p>
    }
    @if (rows().length > 0) {
      <dp-plain-table caption="What each would have done" [quietCaption]="true" [pairs]="true" [columns]="columns" [rows]="rows()" />
      <p class="quiet">
        As they are in force, over what was recorded; what an output would have changed is not in it. Outputs run within their guards, their
        hours and what their day may hold; litres, conditions that forbid and other outputs are not in it.
      </p>
    }
  `,
  styles: `
    :host {
      display: block;
      padding: 12px 16px 12px 56px;
    }
    .row {
      display: flex;
      flex-wrap: wrap;
      gap: 8px 12px;
      align-items: flex-start;
    }
    mat-form-field {
      width: 260px;
    }
    @media (max-width: 899px) {
      :host {
        padding: 12px 16px;
      }
      mat-form-field {
        width: 100%;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class RoomRehearsal {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly rehearser = inject(Rehearser);
  private readonly nameOf = nodeNames();
  private readonly points = this.store.selectSignal(allPoints.selectEntities);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly relays = this.store.selectSignal(allRelays.selectEntities);
  private readonly thresholds = this.store.selectSignal(allThresholds.selectAll);
  protected readonly zone = this.store.selectSignal(selectTimezone);
  protected readonly columns = COLUMNS_WITH_OUTPUT;
  protected readonly room = signal<string | null>(null);
  protected readonly span = signal<RecordSpan>({ hours: 336 });
  protected readonly busy = signal(false);
  protected readonly problem = signal<string | null>(null);
  protected readonly rows = signal<readonly PlainRow[]>([]);
  private readonly placed = computed(() =>
    this.thresholds().flatMap((rule) => {
      const point = this.points()[rule.point];
      const room = point && this.nodes()[point.node]?.room;
      return point && room ? [{ rule, point, room }] : [];
    }),
  );
  protected readonly rooms = computed(() => [...new Set(this.placed().map(({ room }) => room))].sort((a, b) => a.localeCompare(b)));
  protected readonly rules = computed(() => this.placed().filter(({ room }) => room === this.room()));

  protected choose(room: string): void {
    this.room.set(room);
    this.rows.set([]);
  }
  protected async rehearse(event: Event): Promise<void> {
    event.preventDefault();
    const times = timesOf(this.span(), Date.now());
    this.busy.set(true);
    this.problem.set(null);
    this.rows.set([]);
    try {
      for (const { rule, point } of this.rules()) this.rows.set([...this.rows(), await this.rowOf(rule, point, times)]);
    } catch (error) {
      this.problem.set(messageOf(error));
    }
    this.busy.set(false);
  }

  private async rowOf(rule: Threshold, point: Point, { from, until }: ReturnType<typeof timesOf>): Promise<PlainRow> {
    const what = `${this.nameOf(point.node)}: ${ruleTitle(rule, point)}`;
    const none = { what, trips: '–', 'a day': '–', 'in alarm': '–', longest: '–', fleeting: '–', chattering: '–', ...outputCells(null, 0) };
    // What is usual is learnt: its record is tried in its own dialog.
    if (point.uncalibrated || rule.judges.kind === 'usual') return none;
    const load = (id: number | null) => {
      const other = id === null ? undefined : this.points()[id];
      return other ? loadRecord(this.api, other, from, until) : null;
    };
    const { beside, also } = othersOf(rule);
    const [own, besides, alsos] = await Promise.all([load(point.id), load(beside), load(also)]);
    if (!own || own.samples.length === 0) return none;
    await this.rehearser.load({
      ...{ samples: own.samples, from: own.from, until: own.until, decimals: point.decimals, usualGapMs: usualGapMs(own.samples) },
      others: { beside: besides?.samples ?? null, also: alsos?.samples ?? null },
    });
    const draft = engineRule(rule, this.reports(point), this.zone(), (id) => {
      const other = this.points()[id];
      return other && this.reports(other);
    });
    const switched = rule.output === null || rule.act === 'off' ? undefined : this.points()[rule.output];
    const output = switched ? rehearsedOutput(switched, this.relays()[switched.id], this.zone(), rule.proportional) : null;
    const answer = await this.rehearser.ask({ side: rule.side, draft, inForce: null, variants: [], output, outputInForce: null });
    return answer?.draft ? { ...rowOf(what, answer.draft), ...outputCells(answer.outputs.draft, own.until - own.from) } : none;
  }

  private reports(point: Point): Reports {
    return { confirm: point.confirm, reportSeconds: this.nodes()[point.node]?.reportSeconds ?? 30 };
  }
}
