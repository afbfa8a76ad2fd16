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
  templateUrl: './node-care.html',
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
