import { plan, sources, upkeep, type Node, type Point } from '@dewpost/contract';
import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatExpansionModule } from '@angular/material/expansion';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../data/api';
import { allPoints, placeFeature } from '../data/reducers';
import { MomentField } from '../parts/moment-field';
import { ReadyLines } from '../parts/ready-lines';
import { sourceLines } from '../parts/source-lines';
import { selectTimezone } from '../data/selectors';
import { wholeDate } from '../parts/times';
import { TextField } from '../parts/value-field';

/** What is done to a node in its years: name, room, what its points are called, its ready lines while its key is sealed, and its end. */
@Component({
  selector: 'dp-node-care',
  imports: [MatButton, MatExpansionModule, MomentField, ReadyLines, TextField],
  template: `@if (said(); as words) {
      <p class="said" [class.note]="!words.bad" [attr.role]="words.bad ? 'alert' : 'status'">{{ words.text }}</p>
    }
    <mat-accordion multi>
      <mat-expansion-panel>
        <mat-expansion-panel-header>
          <mat-panel-title>Name, room and points</mat-panel-title>
          <mat-panel-description>the id {{ node().id }} stays</mat-panel-description>
        </mat-expansion-panel-header>
        <div class="care-fields">
          <dp-text-field label="Name" [value]="node().name" (changed)="change({ name: $event })" />
          <dp-text-field label="Room" [value]="node().room" (changed)="change({ room: $event })" />
        </div>
        <div class="care-fields">
          @for (point of points(); track point.id) {
            <dp-text-field [label]="point.name" [value]="point.label" (changed)="label(point, $event)" />
          }
        </div>
        <p class="quiet">
          What people read on screens, in messages and on shared pages. Two points of one room never carry the same words.
        </p>
      </mat-expansion-panel>
      @if (node().keySealed && node().kind !== 'adopted' && measured().length > 0) {
        <mat-expansion-panel>
          <mat-expansion-panel-header>
            <mat-panel-title>Send something by hand</mat-panel-title>
            <mat-panel-description>with its own key, until its first contact</mat-panel-description>
          </mat-expansion-panel-header>
          <dp-ready-lines [lines]="lines()" />
        </mat-expansion-panel>
      }
      <mat-expansion-panel>
        <mat-expansion-panel-header>
          <mat-panel-title>Since when it is live</mat-panel-title>
          <mat-panel-description>{{ liveWords() }}</mat-panel-description>
        </mat-expansion-panel-header>
        <p>
          What it sent before were trials: kept, shown in grey where they are asked for, in no figure, limit or roll-up. They are deleted
          under <i>What is kept</i>.
        </p>
        <div class="care-fields">
          <dp-moment-field label="Live since" fieldId="live-since" [value]="live()" [zone]="zone()" (changed)="live.set($event)" />
        </div>
        <p class="care-ask">
          <button matButton="filled" type="button" [disabled]="live() === null || live() === node().liveSince" (click)="goLive(live())">
            It is live since then
          </button>
          @if (node().fittedAt; as fitted) {
            <button matButton="outlined" type="button" (click)="live.set(fitted)">When it was fitted</button>
          }
          <button matButton="outlined" type="button" (click)="live.set(now())">Now</button>
          @if (node().liveSince !== null) {
            <button matButton="outlined" type="button" (click)="goLive(null)">All of it counts</button>
          }
        </p>
      </mat-expansion-panel>
      <mat-expansion-panel>
        <mat-expansion-panel-header>
          <mat-panel-title>Retire it</mat-panel-title>
          <mat-panel-description>for good; its history stays</mat-panel-description>
        </mat-expansion-panel-header>
        <p>
          Its outputs go off, its thresholds stand down, its alerts close, its key is dead and its address is free. Readings, alerts and its
          log stay.
        </p>
        <p class="care-ask">
          @if (asking()) {
            <button matButton="filled" type="button" (click)="retire()">Retire {{ node().name }} for good</button>
            <button matButton="outlined" type="button" (click)="asking.set(false)">Leave it</button>
          } @else {
            <button matButton="outlined" type="button" (click)="asking.set(true)">Retire it</button>
          }
        </p>
      </mat-expansion-panel>
    </mat-accordion>`,
  styles: `
    :host {
      display: block;
      padding: 0 16px 8px 56px;
    }
    .care-fields {
      display: grid;
      grid-template-columns: repeat(auto-fill, minmax(220px, 1fr));
      gap: 14px 12px;
      padding: 8px 0 6px;
    }
    .care-ask {
      display: flex;
      flex-wrap: wrap;
      gap: 8px;
      padding-top: 10px;
    }
    @media (max-width: 899px) {
      :host {
        padding-left: 16px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class NodeCare {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  readonly node = input.required<Node>();
  private readonly allOfPoints = this.store.selectSignal(allPoints.selectAll);
  private readonly site = this.store.selectSignal(placeFeature.selectSite);
  private readonly id = computed(() => this.node().id);
  protected readonly points = computed(() => this.allOfPoints().filter(({ node }) => node === this.id()));
  protected readonly measured = computed(() => this.points().filter(({ kind }) => kind === 'measured'));
  private readonly way = resource({ loader: () => this.api.call(sources.way, {}) });
  protected readonly lines = computed(() => {
    if (!this.way.hasValue()) return [];
    const { host, httpPort, mqttPort } = this.way.value();
    return sourceLines({ base: this.site()?.address ?? `http://${host}:${httpPort}`, host, mqttPort }, this.id(), this.measured());
  });
  protected readonly said = linkedSignal<string, { text: string; bad: boolean } | null>({ source: this.id, computation: () => null });
  protected readonly zone = this.store.selectSignal(selectTimezone);
  /** As it is picked, before it is said. */
  // A node is told anew with each of its readings: only another time, or another node, begins it again.
  private readonly liveSince = computed(() => this.node().liveSince);
  protected readonly live = linkedSignal<number | null>(() => (this.id(), this.liveSince()));
  protected readonly liveWords = computed(() => {
    const since = this.node().liveSince;
    return since === null ? 'all that it sent counts' : `since ${wholeDate(since, this.zone())}`;
  });
  /** To the minute, as the field shows it. */
  protected readonly now = (): number => Math.floor(Date.now() / 60_000) * 60_000;
  protected readonly asking = linkedSignal({ source: this.id, computation: () => false });
  private readonly working = signal(false);

  protected change(body: { name?: string; room?: string }): Promise<void> {
    return this.trying(async () => {
      await this.api.call(plan.changeNode, { params: { id: this.id() }, body });
      return body.name === undefined ? `Moved to ${body.room}.` : `Called ${body.name} from now on.`;
    });
  }
  protected label(point: Point, words: string): Promise<void> {
    return this.trying(async () => {
      await this.api.call(plan.labelPoint, { params: { id: point.node, point: point.name }, body: { label: words } });
      return `${point.name} is called ${words} from now on.`;
    });
  }
  protected goLive(since: number | null): Promise<void> {
    return this.trying(async () => {
      await this.api.call(upkeep.goLive, { body: { nodes: [this.id()], since } });
      return since === null ? 'All that it sent counts.' : `Live since ${wholeDate(since, this.zone())}: what it sent before were trials.`;
    });
  }
  protected retire(): Promise<void> {
    return this.trying(async () => {
      await this.api.call(plan.retireNode, { params: { id: this.id() } });
      return 'Retired.';
    });
  }
  private async trying(act: () => Promise<string>): Promise<void> {
    if (this.working()) return;
    this.working.set(true);
    try {
      this.said.set({ text: await act(), bad: false });
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    } finally {
      this.working.set(false);
      this.asking.set(false);
    }
  }
}
