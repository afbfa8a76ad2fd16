import { provision, type FitReply } from '@dewpost/contract';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { Store } from '@ngrx/store';
import { TriangleAlert } from 'lucide';
import { Api, messageOf } from '../../data/api';
import { allLatest, allNodes, allPoints, allRelays } from '../../data/reducers';
import { selectTimezone } from '../../data/selectors';
import { Icon } from '../../parts/icon';
import { linePath } from '../../parts/line-path';
import { dayAndTime } from '../../parts/times';
import { typedNumber } from '../../parts/typed-number';

export type Need = FitReply['needs'][number];

const TOP_DBM = -40;
const BOTTOM_DBM = -95;
const levelY = (dbm: number): number => (60 * (TOP_DBM - Math.min(TOP_DBM, Math.max(BOTTOM_DBM, dbm)))) / (TOP_DBM - BOTTOM_DBM);
const REASONS = ['cannot be reached', 'no water or power yet', 'no instrument here'] as const;

/** One check in place: what it asks, how it stands, what is done for it, or why it is not possible. */
@Component({
  selector: 'dp-fit-need',
  imports: [Icon, MatButton, MatFormFieldModule, MatInput],
  templateUrl: './fit-need.html',
  styleUrl: './fit-need.scss',
  host: { '[class.passed]': 'need().state === "passed"' },
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class FitNeed {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  readonly node = input.required<string>();
  readonly fit = input.required<FitReply>();
  readonly need = input.required<Need>();
  /** In a round: what has passed is a line, and nothing more to do. */
  readonly brief = input(false);
  protected readonly doing = computed(() => !this.brief() || this.need().state !== 'passed');
  /** How it stands after what was done here. */
  readonly replied = output<FitReply>();
  protected readonly icons = { TriangleAlert };
  protected readonly reasons = REASONS;
  protected readonly floorY = levelY(-75);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly latest = this.store.selectSignal(allLatest.selectEntities);
  private readonly relays = this.store.selectSignal(allRelays.selectEntities);
  protected readonly said = signal<string | null>(null);
  protected readonly asking = signal(false);
  protected readonly dbm = signal<number | null>(null);
  protected readonly volts = signal<number | null>(null);
  protected readonly byHand = signal<number | null>(null);
  protected readonly tolerance = signal<number | null>(null);
  /** Can be asked for its level; one that only posts, a leaf, or one that is away cannot. */
  protected readonly asks = computed(() => this.nodes()[this.node()]?.connected ?? false);
  private readonly point = computed(() => this.points().find((point) => point.node === this.node() && point.name === this.need().point));
  protected readonly unit = computed(() => this.point()?.unit ?? '');
  protected readonly value = computed(() => {
    const point = this.point();
    const latest = point && this.latest()[point.id];
    return point && latest ? `${formatNumber(latest.value, point.decimals)} ${point.unit}`.trim() : 'nothing yet';
  });
  protected readonly relay = computed(() => {
    const point = this.point();
    const state = point ? (this.relays()[point.id]?.state ?? null) : null;
    return state === null ? 'nothing yet' : state ? 'on' : 'off';
  });
  protected readonly tick = computed(() => ({ passed: '✓', failed: '×', 'not-possible': '–', open: '·', running: '·' })[this.need().state]);
  protected readonly by = computed(() => {
    const { by, at } = this.need();
    return by !== null && at !== null ? `${by}, ${dayAndTime(at, this.zone())}` : '';
  });
  protected readonly trace = computed(() => {
    const { levels, seconds } = this.fit();
    const begin = levels[0]?.at ?? 0;
    return linePath(levels.map(({ at, dbm }) => [(300 * (at - begin)) / (seconds * 1000), levelY(dbm)]));
  });
  protected readonly levelWords = computed(() => {
    const { levels } = this.fit();
    const last = levels.at(-1);
    return last ? `${formatNumber(last.dbm, 0)} dBm, ${levels.length} levels` : 'waiting for its first word';
  });

  protected readonly number = typedNumber;
  protected ask(): Promise<void> {
    return this.run((params) => this.api.call(provision.askSignal, { params }));
  }
  protected keepLevel(): Promise<void> {
    return this.run((params) => this.api.call(provision.fitCheck, { params, body: { kind: 'signal', dbm: this.dbm() ?? -130 } }));
  }
  protected supply(): Promise<void> {
    return this.run((params) => this.api.call(provision.fitCheck, { params, body: { kind: 'supply', volts: this.volts() ?? 0 } }));
  }
  protected reading(): Promise<void> {
    const { point, tolerance } = this.need();
    const body = { kind: 'reading' as const, point: point ?? '', hand: this.byHand() ?? 0, tolerance: this.tolerance() ?? tolerance ?? 1 };
    return this.run((params) => this.api.call(provision.fitCheck, { params, body }));
  }
  protected watch(): Promise<void> {
    return this.run((params) => this.api.call(provision.watchContact, { params, body: { point: this.need().point ?? '' } }));
  }
  protected follows(seen: boolean): Promise<void> {
    const body = { kind: 'self-test' as const, point: this.need().point ?? '', seen };
    return this.run((params) => this.api.call(provision.fitCheck, { params, body }));
  }
  protected operate(on: boolean): Promise<void> {
    return this.run((params) => this.api.call(provision.operate, { params, body: { point: this.need().point ?? '', on } }));
  }
  protected moved(seen: boolean): Promise<void> {
    const body = { kind: 'output' as const, point: this.need().point ?? '', seen };
    return this.run((params) => this.api.call(provision.fitCheck, { params, body }));
  }
  protected async notPossible(because: string): Promise<void> {
    if (because.trim().length < 3) {
      this.said.set('Say why it is not possible, in a few words.');
      return;
    }
    const body = { kind: 'not-possible' as const, need: this.need().id, because: because.trim() };
    await this.run((params) => this.api.call(provision.fitCheck, { params, body }));
    this.asking.set(false);
  }

  private async run(act: (params: { id: string }) => Promise<FitReply>): Promise<void> {
    try {
      this.replied.emit(await act({ id: this.node() }));
      this.said.set(null);
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
}
