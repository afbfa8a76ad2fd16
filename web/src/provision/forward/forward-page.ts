import { forwards, type Forward } from '@dewpost/contract';
import { counted } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, DestroyRef, inject, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { Store } from '@ngrx/store';
import { Api, messageOf } from '../../data/api';
import { nodeNames } from '../../data/node-names';
import { allPoints, placeFeature } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { dayAndTime } from '../../parts/times';
import { ProvisionPages } from '../provision-pages';
import { ForwardForm } from './forward-form';

/** How often it is asked what waits, ms. */
const LOOK_MS = 4000;

/** Where readings are forwarded to: what waits, what arrived last, what went wrong; made, changed, paused, taken away. */
@Component({
  selector: 'dp-forward-page',
  imports: [ForwardForm, MatButton, ProvisionPages],
  templateUrl: './forward-page.html',
  styleUrl: './forward-page.scss',
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class ForwardPage {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly nameOf = nodeNames();
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly pointsById = this.store.selectSignal(allPoints.selectEntities);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly me = this.store.selectSignal(placeFeature.selectMe);
  protected readonly maker = computed(() => this.me()?.role === 'maker');
  protected readonly usable = computed(() => this.points().filter(({ kind, uncalibrated }) => kind !== 'switched' && !uncalibrated));
  protected readonly list = resource({
    params: () => (this.maker() ? true : undefined),
    loader: () => this.api.call(forwards.list, {}),
  });
  protected readonly all = computed<readonly Forward[] | null>(() => (this.list.hasValue() ? this.list.value() : null));
  protected readonly problem = computed(() => (this.list.error() ? messageOf(this.list.error()) : null));
  protected readonly said = signal<{ text: string; bad: boolean } | null>(null);
  protected readonly making = signal(false);
  protected readonly changing = signal<Forward | null>(null);
  protected readonly asking = signal<number | null>(null);
  protected readonly testing = signal<number | null>(null);
  protected readonly counted = counted;

  constructor() {
    const look = setInterval(() => this.maker() && !this.list.isLoading() && this.list.reload(), LOOK_MS);
    inject(DestroyRef).onDestroy(() => clearInterval(look));
  }

  protected pointsOf({ points }: Forward): string {
    const names = points.flatMap((id) => {
      const point = this.pointsById()[id];
      return point ? [`${point.label}, ${this.nameOf(point.node)}`] : [];
    });
    return names.length > 4 ? `${names.slice(0, 3).join(' · ')} and ${names.length - 3} more` : names.join(' · ');
  }
  /** How it stands, in a sentence. */
  protected stateOf({ paused, failure, failedAt, sentAt, waiting, sent, dropped }: Forward): { text: string; bad: boolean } {
    const lost = dropped > 0 ? `; ${counted(dropped, 'reading')} grew too old and did not go` : '';
    const waits = waiting > 0 ? `${counted(waiting, 'reading')} ${waiting === 1 ? 'waits' : 'wait'}` : 'nothing waits';
    if (failure !== null && failedAt !== null)
      return { text: `Not taken, ${dayAndTime(failedAt, this.zone())}: ${failure}; ${waits}, it is tried again${lost}.`, bad: true };
    if (paused) return { text: `Paused: ${waits}${lost}.`, bad: false };
    if (sentAt === null) return { text: `Nothing has gone yet; ${waits}${lost}.`, bad: false };
    return { text: `${counted(sent, 'reading')} arrived, the last ${dayAndTime(sentAt, this.zone())}; ${waits}${lost}.`, bad: false };
  }
  protected begin(): void {
    this.changing.set(null);
    this.said.set(null);
    this.making.set(true);
  }
  protected change(one: Forward): void {
    this.making.set(false);
    this.said.set(null);
    this.changing.set(one);
  }
  protected close(): void {
    this.making.set(false);
    this.changing.set(null);
  }
  protected kept({ settings }: Forward): void {
    this.close();
    this.said.set({ text: `${settings.name} is kept. Test it: only what is taken is a way.`, bad: false });
    this.list.reload();
  }
  protected pause({ id, paused }: Forward): Promise<void> {
    return this.act(async () => {
      await this.api.call(forwards.pause, { params: { id }, body: { paused: !paused } });
      return null;
    });
  }
  protected async test({ id, settings }: Forward): Promise<void> {
    this.testing.set(id);
    await this.act(async () => {
      const { delivered, ms, detail } = await this.api.call(forwards.test, { params: { id } });
      return {
        text: delivered ? `${settings.name}: ${detail}, after ${(ms / 1000).toFixed(1)} s.` : `${settings.name}: ${detail}`,
        bad: !delivered,
      };
    });
    this.testing.set(null);
  }
  protected remove({ id, settings }: Forward): Promise<void> {
    this.asking.set(null);
    return this.act(async () => {
      await this.api.call(forwards.remove, { params: { id } });
      return { text: `Nothing goes to ${settings.name} any more.`, bad: false };
    });
  }
  private async act(work: () => Promise<{ text: string; bad: boolean } | null>): Promise<void> {
    try {
      this.said.set(await work());
    } catch (error) {
      this.said.set({ text: messageOf(error), bad: true });
    }
    this.list.reload();
  }
}
