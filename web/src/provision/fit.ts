import { provision, type FitReply } from '@dewpost/contract';
import { formatNumber } from '@dewpost/core/quantity';
import { ChangeDetectionStrategy, Component, computed, inject, input, resource, signal } from '@angular/core';
import { MatButton } from '@angular/material/button';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatInput } from '@angular/material/input';
import { RouterLink } from '@angular/router';
import { Store } from '@ngrx/store';
import { Camera, TriangleAlert } from 'lucide';
import { Api, messageOf } from '../data/api';
import { allLatest, allNodes, allPoints, allRelays, fitsFeature } from '../data/reducers';
import { selectTimezone } from '../data/selectors';
import { FileButton } from '../parts/file-button';
import { useIcons } from '../parts/icons';
import { Icon } from '../parts/icon';
import { dayAndTime } from '../parts/times';

type Need = FitReply['needs'][number];
interface Hand {
  hand?: number | null;
  tolerance?: number | null;
}

const TOP_DBM = -40;
const BOTTOM_DBM = -95;
const levelY = (dbm: number): number => (60 * (TOP_DBM - Math.min(TOP_DBM, Math.max(BOTTOM_DBM, dbm)))) / (TOP_DBM - BOTTOM_DBM);
const PHOTO_PIXELS = 1600;

/** A picture small enough to keep: 1600 pixels on its longer side, as JPEG. */
async function shrunk(file: File): Promise<Blob> {
  const picture = await createImageBitmap(file);
  const scale = Math.min(1, PHOTO_PIXELS / Math.max(picture.width, picture.height));
  const canvas = document.createElement('canvas');
  canvas.width = Math.round(picture.width * scale);
  canvas.height = Math.round(picture.height * scale);
  canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height);
  picture.close();
  return new Promise((resolve, reject) =>
    canvas.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('The picture could not be drawn.'))), 'image/jpeg', 0.85),
  );
}

/** Proving one node in place, on a phone: signal, supply, every sensor against a hand instrument, every output operated and seen. */
@Component({
  selector: 'dp-fit',
  imports: [FileButton, Icon, MatButton, MatFormFieldModule, MatInput, RouterLink],
  templateUrl: './fit.html',
  styles: `
    .needs {
      padding: 0 16px 24px 56px;
      max-width: 860px;
    }
    li {
      display: grid;
      gap: 8px;
      padding: 12px 0;
      border-bottom: 1px solid var(--hair);
    }
    .what {
      display: flex;
      gap: 8px;
      align-items: baseline;
      font-size: 14px;
    }
    .tick {
      width: 18px;
    }
    .passed .tick {
      color: var(--spruce);
    }
    .state {
      margin-left: auto;
      color: var(--ink-2);
    }
    .bad {
      color: var(--carmine);
    }
    .detail,
    .do,
    .levels,
    .caution,
    li > button,
    li > .quiet,
    .photos {
      margin-left: 26px;
    }
    li > button {
      justify-self: start;
    }
    .do {
      display: flex;
      flex-wrap: wrap;
      gap: 12px;
      align-items: center;
    }
    .do mat-form-field {
      width: 190px;
    }
    .now {
      align-self: center;
      min-width: 110px;
    }
    .levels {
      width: min(420px, calc(100% - 26px));
    }
    .photos {
      display: flex;
      flex-wrap: wrap;
      gap: 12px;
    }
    .photos img {
      width: 160px;
      display: block;
    }
    @media (max-width: 899px) {
      .needs {
        padding-left: 16px;
      }
      .detail,
      .do,
      .levels,
      .caution,
      li > button,
      li > .quiet,
      .photos {
        margin-left: 0;
      }
      .do .b,
      li > .b {
        min-height: 44px;
      }
    }
  `,
  changeDetection: ChangeDetectionStrategy.OnPush,
})
export class Fit {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  readonly node = input.required<string>();
  protected readonly icons = { TriangleAlert };

  constructor() {
    useIcons({ camera: Camera });
  }
  protected readonly floorY = levelY(-75);
  private readonly zone = this.store.selectSignal(selectTimezone);
  private readonly live = this.store.selectSignal(fitsFeature.selectFitsState);
  private readonly points = this.store.selectSignal(allPoints.selectAll);
  private readonly latest = this.store.selectSignal(allLatest.selectEntities);
  private readonly relays = this.store.selectSignal(allRelays.selectEntities);
  private readonly read = resource({
    params: () => this.node(),
    loader: ({ params: id }) => this.api.call(provision.fit, { params: { id } }),
  });
  protected readonly problem = computed(() => (this.read.error() ? messageOf(this.read.error()) : null));
  protected readonly view = computed(() => this.live()[this.node()] ?? (this.read.hasValue() ? this.read.value() : null));
  protected readonly said = signal<string | null>(null);
  protected readonly sending = signal(false);
  protected readonly volts = signal<number | null>(null);
  protected readonly hands = signal<Record<string, Hand>>({});
  protected readonly head = computed(() => {
    const fit = this.view();
    if (!fit) return '';
    if (fit.fittedAt !== null) return `armed since ${dayAndTime(fit.fittedAt, this.zone())}, by ${fit.fittedBy ?? ''}`;
    const passed = fit.needs.filter((need) => need.state === 'passed').length;
    return `${passed} of ${fit.needs.length} passed; unarmed until all have`;
  });
  protected readonly trace = computed(() => {
    const fit = this.view();
    const first = fit?.levels[0];
    if (!fit || !first) return '';
    return fit.levels
      .map(
        ({ at, dbm }, i) =>
          `${i === 0 ? 'M' : 'L'}${((300 * (at - first.at)) / (fit.seconds * 1000)).toFixed(1)} ${levelY(dbm).toFixed(1)}`,
      )
      .join('');
  });
  protected readonly levelWords = computed(() => {
    const levels = this.view()?.levels ?? [];
    const last = levels.at(-1);
    return last ? `${formatNumber(last.dbm, 0)} dBm, ${levels.length} levels` : 'waiting for its first word';
  });

  protected by(need: Need): string {
    return need.by !== null && need.at !== null ? `${need.by}, ${dayAndTime(need.at, this.zone())}` : '';
  }
  protected when(ms: number): string {
    return dayAndTime(ms, this.zone());
  }
  private pointOf(need: Need) {
    return this.points().find((point) => point.node === this.node() && point.name === need.point);
  }
  protected unit(need: Need): string {
    return this.pointOf(need)?.unit ?? '';
  }
  protected value(need: Need): string {
    const point = this.pointOf(need);
    const latest = point && this.latest()[point.id];
    return point && latest ? `${formatNumber(latest.value, point.decimals)} ${point.unit}`.trim() : 'nothing yet';
  }
  protected relay(need: Need): string {
    const point = this.pointOf(need);
    const state = point ? (this.relays()[point.id]?.state ?? null) : null;
    return state === null ? 'nothing yet' : state ? 'on' : 'off';
  }
  protected setHand(need: string, change: Hand): void {
    this.hands.update((hands) => ({ ...hands, [need]: { ...hands[need], ...change } }));
  }
  protected address(photo: number): string {
    return `/api/v1/nodes/${encodeURIComponent(this.node())}/photos/${photo}`;
  }

  protected ask(): Promise<void> {
    return this.run((params) => this.api.call(provision.askSignal, { params }));
  }
  private readonly nodes = this.store.selectSignal(allNodes.selectEntities);
  /** Can be asked for its level; one that only posts, a leaf, or one that is away cannot. */
  protected readonly asks = computed(() => this.nodes()[this.node()]?.connected ?? false);
  protected readonly dbm = signal<number | null>(null);
  /** What was typed; `null` where that is no number. */
  protected number(text: string): number | null {
    return text.trim() === '' || !Number.isFinite(Number(text)) ? null : Number(text);
  }
  protected keepLevel(): Promise<void> {
    return this.run((params) => this.api.call(provision.fitCheck, { params, body: { kind: 'signal', dbm: this.dbm() ?? -130 } }));
  }
  protected supply(): Promise<void> {
    return this.run((params) => this.api.call(provision.fitCheck, { params, body: { kind: 'supply', volts: this.volts() ?? 0 } }));
  }
  protected reading(need: Need): Promise<void> {
    const { hand, tolerance } = this.hands()[need.id] ?? {};
    const body = { kind: 'reading' as const, point: need.point ?? '', hand: hand ?? 0, tolerance: tolerance ?? need.tolerance ?? 1 };
    return this.run((params) => this.api.call(provision.fitCheck, { params, body }));
  }
  protected contact(need: Need): Promise<void> {
    return this.run((params) => this.api.call(provision.watchContact, { params, body: { point: need.point ?? '' } }));
  }
  protected operate(need: Need, on: boolean): Promise<void> {
    return this.run((params) => this.api.call(provision.operate, { params, body: { point: need.point ?? '', on } }));
  }
  protected output(need: Need, seen: boolean): Promise<void> {
    return this.run((params) => this.api.call(provision.fitCheck, { params, body: { kind: 'output', point: need.point ?? '', seen } }));
  }
  protected async blink(): Promise<void> {
    try {
      const { asked } = await this.api.call(provision.blink, { params: { id: this.node() } });
      this.said.set(asked ? null : `${this.node()} is not connected: its lamp cannot be asked for.`);
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
  protected async photo(file: File): Promise<void> {
    this.sending.set(true);
    try {
      const body = await shrunk(file);
      const answer = await fetch(`/api/v1/nodes/${encodeURIComponent(this.node())}/photos?note=in%20place`, {
        method: 'POST',
        headers: { 'content-type': 'image/jpeg' },
        body,
      });
      this.said.set(answer.ok ? null : ((await answer.json()) as { detail: string }).detail);
      this.read.reload();
    } catch (error) {
      this.said.set(`The picture was not kept: ${error instanceof Error ? error.message : 'it cannot be read'}. Choose it again.`);
    }
    this.sending.set(false);
  }

  protected remove(photo: number): Promise<void> {
    return this.run((params) => this.api.call(provision.removePhoto, { params: { ...params, photo } }));
  }

  private async run(act: (params: { id: string }) => Promise<FitReply>): Promise<void> {
    try {
      this.read.set(await act({ id: this.node() }));
      this.said.set(null);
    } catch (error) {
      this.said.set(messageOf(error));
    }
  }
}
